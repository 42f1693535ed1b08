package details

import (
	"context"
	"net/url"
	"strconv"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/web/ui"
)

// Form is the form for a run's details and marks.
type Form struct {
	*ui.Fields
	Cars     []logbook.Car
	Sites    []logbook.Site
	Adapters []logbook.Adapter
	Kinds    []string
	Marks    []MarkRow
	NewMark  MarkRow
	Arriving bool // a file that is being brought in may name a new car
	UnderWay bool // a live run's start is what its readings count from
}

// MarkRow is a mark as its form has it, with what is wrong with it.
type MarkRow struct {
	ID               int64
	Time, Kind, Note string
	Error            string
}

// Choices fills in what the form's menus offer.
func Choices(ctx context.Context, book offers, e *Form) (err error) {
	if e.Cars, err = book.Cars(ctx); err != nil {
		return err
	}
	if e.Sites, err = book.Sites(ctx); err != nil {
		return err
	}
	e.Adapters, err = book.Adapters(ctx)
	return err
}

func idValue(id *int64) string {
	if id == nil {
		return ""
	}
	return strconv.FormatInt(*id, 10)
}

// Values fills the form from what is stored.
func Values(row *logbook.Run) url.Values {
	v := url.Values{}
	set := func(name, value string) { v.Set(name, value) }
	set("title", row.Title)
	set("timezone", row.Timezone)
	if row.StartedAt != nil {
		set("started_at", shownStart(row))
	}
	set("car", idValue(row.CarID))
	if row.Software != nil {
		set("software", row.Software.Version)
	}
	set("stall", idValue(row.StallID))
	set("adapter", idValue(row.AdapterID))
	set("method_name", row.MethodName)
	set("from_pct", ui.PlainNumber(row.FromPct))
	set("to_pct", ui.PlainNumber(row.ToPct))
	set("clock", row.Clock)
	set("method_climate", row.MethodClimate)
	set("odometer_km", ui.PlainNumber(row.OdometerKM))
	set("ambient_c", ui.PlainNumber(row.AmbientC))
	set("battery_c", ui.PlainNumber(row.BatteryC))
	set("preconditioned", row.Preconditioned)
	set("preconditioned_min", ui.PlainNumber(row.PreconditionedMin))
	set("profile", row.Profile)
	set("climate", row.Climate)
	set("weather", row.Weather)
	set("label", row.Label)
	return v
}

// shownStart is a run's start as the form shows it: by its zone's clock, to the second.
func shownStart(row *logbook.Run) string {
	return ui.Local(*row.StartedAt, row.Timezone).Format(ui.InputTime + ":05")
}

// startOf reads the form's start. Where it is what the form was filled with, the run keeps its own: that may lie within
// a second, or in an hour that comes twice when summer time ends. Browsers leave seconds of nought out.
func startOf(f *ui.Fields, row *logbook.Run, zone string, loc *time.Location) *time.Time {
	typed := f.Moment("started_at", loc)
	if typed == nil || row.StartedAt == nil || zone != row.Timezone {
		return typed
	}
	shown, is := shownStart(row), strings.TrimSpace(f.Values.Get("started_at"))
	if is == shown || is+":00" == shown {
		return row.StartedAt
	}
	return typed
}

// Read reads the form into a run, which holds what is stored of it; faults stand at their fields.
func Read(f *ui.Fields, row *logbook.Run) {
	row.Title, row.Weather, row.Label = f.Text("title"), f.Text("weather"), f.Text("label")
	row.MethodName = f.Text("method_name")
	zone, loc := f.Zone("timezone")
	row.StartedAt = startOf(f, row, zone, loc)
	row.Timezone = zone
	row.CarID, row.StallID, row.AdapterID = f.ID("car"), f.ID("stall"), f.ID("adapter")
	row.FromPct, row.ToPct = f.Window()
	row.Clock = f.Word("clock", run.Clocks)
	row.MethodClimate = f.Word("method_climate", run.Climates)
	row.OdometerKM = f.Ranged("odometer_km", "conditions.odometer_km")
	row.AmbientC = f.Ranged("ambient_c", "conditions.ambient_c")
	row.BatteryC = f.Ranged("battery_c", "conditions.battery_c")
	row.Preconditioned = f.Word("preconditioned", run.Preconditioned)
	row.PreconditionedMin = f.Ranged("preconditioned_min", "conditions.preconditioned_min")
	row.Profile = f.Word("profile", run.Profiles)
	row.Climate = f.Word("climate", run.Climates)
	if f.Text("software") != "" && row.CarID == nil {
		f.Fault("software", "Choose the car that this software ran on first.")
	}
}

// Meanwhile holds a form that was read into a run against what somebody else changed of it since the form was filled:
// before is the run as it is kept. What only they changed is in row from then on; what both did stands at its field.
func Meanwhile(f *ui.Fields, before *logbook.Run, row *logbook.Run, who string) {
	if !f.OK() {
		return
	}
	mine := Values(row)
	mine.Set("software", f.Text("software"))
	if f.Meanwhile(mine, Values(before), who) {
		Read(f, row)
	}
}

// Store stores a run's details with the software version it names.
func Store(ctx context.Context, book keeper, f *ui.Fields, row *logbook.Run) error {
	return store(ctx, book, f, row, book.SaveDetails)
}

// StoreUnchanged is Store where nobody has changed the run since row was read; ErrChanged otherwise, and nothing is
// stored.
func StoreUnchanged(ctx context.Context, book unchangedKeeper, f *ui.Fields, row *logbook.Run) error {
	return store(ctx, book, f, row, book.SaveDetailsUnchanged)
}

func store(ctx context.Context, book namer, f *ui.Fields, row *logbook.Run,
	save func(context.Context, *logbook.Run, ...logbook.Mark) error) error {
	row.SoftwareID = nil
	if version := f.Text("software"); version != "" && row.CarID != nil {
		id, err := book.SoftwareOf(ctx, *row.CarID, version)
		if err != nil {
			return err
		}
		row.SoftwareID = &id
	}
	return save(ctx, row)
}

// offers is what the form's menus are filled from.
type offers interface {
	Cars(ctx context.Context) ([]logbook.Car, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
}

// namer knows software by the version's name.
type namer interface {
	SoftwareOf(ctx context.Context, carID int64, version string) (int64, error)
}

// keeper is what details are stored in.
type keeper interface {
	namer
	SaveDetails(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
}

// unchangedKeeper is one that notices who else changed a run meanwhile.
type unchangedKeeper interface {
	namer
	SaveDetailsUnchanged(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
}

// StartedHint asks for the day of a file that does not say it; empty: there is nothing to ask.
func (f *Form) StartedHint() string {
	if !f.Arriving || f.Values.Get("started_at") != "" {
		return ""
	}
	return "The file does not say: day and time of the first reading."
}
