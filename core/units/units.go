// Package units converts the units met in charging logs to the ones Zinc Road
// keeps: kilowatts, volts, amperes, kilowatt-hours, degrees Celsius and seconds.
//
// Factors are those of NIST Special Publication 811 (2008), appendix B. They are
// exact unless said otherwise.
package units

// JoulesPerKWh is the energy of one kilowatt-hour in joules (NIST SP 811, B.8).
const JoulesPerKWh = 3.6e6

// KJPerKWh is the same in kilojoules, the unit of kilowatts times seconds.
const KJPerKWh = JoulesPerKWh / 1000

// A Unit turns a number as it was written into the unit that is kept:
// kept = (written + Shift) * Factor.
type Unit struct {
	Name   string  // as written in files and menus, for example "°F"
	Shift  float64 // added first, in the written unit
	Factor float64 // multiplied after
}

// Convert gives the value in the kept unit.
func (u Unit) Convert(written float64) float64 { return (written + u.Shift) * u.Factor }

// The units that the quantities of a charging log come in, the kept one first.
// The temperature conversion is t(°C) = (t(°F) − 32) / 1.8, NIST SP 811, B.8.
var (
	Percent     = []Unit{{"%", 0, 1}, {"fraction", 0, 100}, {"permille", 0, 0.1}}
	Power       = []Unit{{"kW", 0, 1}, {"W", 0, 1e-3}, {"MW", 0, 1e3}, {"hp", 0, 0.74569987158227022}}
	Current     = []Unit{{"A", 0, 1}, {"mA", 0, 1e-3}}
	Voltage     = []Unit{{"V", 0, 1}, {"mV", 0, 1e-3}, {"kV", 0, 1e3}}
	Temperature = []Unit{{"°C", 0, 1}, {"°F", -32, 1 / 1.8}, {"K", -273.15, 1}}
	Energy      = []Unit{{"kWh", 0, 1}, {"Wh", 0, 1e-3}, {"MJ", 0, 1 / 3.6}, {"kJ", 0, 1 / KJPerKWh}}
	Money       = []Unit{{"as charged", 0, 1}, {"hundredths", 0, 0.01}}
)

// Find gives the unit of that name from a list, and false where there is none.
func Find(list []Unit, name string) (Unit, bool) {
	for _, u := range list {
		if u.Name == name {
			return u, true
		}
	}
	return Unit{}, false
}

// KWhFromKJ turns kilowatts times seconds into kilowatt-hours.
func KWhFromKJ(kj float64) float64 { return kj / KJPerKWh }
