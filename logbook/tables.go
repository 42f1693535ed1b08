package logbook

import (
	"time"

	"gorm.io/gorm"

	"zincroad/core/forecast"
	"zincroad/core/run"
	"zincroad/core/vehicle"
)

// Site is a place with stalls.
type Site struct {
	ID     int64 `gorm:"primaryKey"`
	Name   string
	Note   string
	BaseKm *float64 // from where the testers set out
	Stalls []Stall

	Latitude, Longitude *float64 // in degrees north and east; both or none
}

// Stall is one place to plug in.
type Stall struct {
	ID       int64 `gorm:"primaryKey"`
	SiteID   int64
	Site     *Site
	Name     string
	RatedKW  *float64    `gorm:"column:rated_kw"`
	MaxA     *float64    `gorm:"column:max_a"`
	MinV     *float64    `gorm:"column:min_v"`
	MaxV     *float64    `gorm:"column:max_v"`
	SharedKW *float64    `gorm:"column:shared_kw"`
	Tariff   *run.Tariff `gorm:"serializer:json"`
	Note     string
	Unread   Unread `gorm:"-"`
}

// Car is a vehicle with the software versions it ran.
type Car struct {
	ID              int64 `gorm:"primaryKey"`
	Name            string
	Chemistry       string
	GrossKWh        *float64 `gorm:"column:gross_kwh"`
	UsableKWh       *float64 `gorm:"column:usable_kwh"`
	CellsInSeries   *float64 `gorm:"column:cells_in_series"`
	PackMinV        *float64 `gorm:"column:pack_min_v"`
	PackNominalV    *float64 `gorm:"column:pack_nominal_v"`
	PackMaxV        *float64 `gorm:"column:pack_max_v"`
	MaxKW           *float64 `gorm:"column:max_kw"`
	MaxA            *float64 `gorm:"column:max_a"`
	ConverterKW     *float64 `gorm:"column:converter_kw"`
	BatteryMassKg   *float64 `gorm:"column:battery_mass_kg"`
	HeaterKW        *float64 `gorm:"column:heater_kw"`
	WarmC           *float64 `gorm:"column:warm_c"`
	Preconditioning string
	ConsumptionWhKm *float64    `gorm:"column:consumption_wh_per_km"`
	RatedRangeKm    *float64    `gorm:"column:rated_range_km"`
	Envelope        []run.Point `gorm:"serializer:json"`
	TimerS          *float64    `gorm:"column:timer_s"`
	TimerSharePct   *float64
	Pack            *run.Pack `gorm:"serializer:json"`
	HeaterStopC     *float64
	Navigation      *run.Navigation `gorm:"serializer:json"`
	GentleEnvelope  []run.Point     `gorm:"serializer:json"`
	Claims          []run.Claim     `gorm:"serializer:json"`
	Note            string
	Softwares       []Software
	Unread          Unread `gorm:"-"`
}

// Software is one version that a car ran.
type Software struct {
	ID      int64 `gorm:"primaryKey"`
	CarID   int64
	Version string
	Note    string

	// What this version changed; nil and empty: as the car has it.
	HeaterKW       *float64 `gorm:"column:heater_kw"`
	HeaterStopC    *float64
	Navigation     *run.Navigation `gorm:"serializer:json"`
	GentleEnvelope []run.Point     `gorm:"serializer:json"`
	Unread         Unread          `gorm:"-"`
}

// TableName is fixed: the plural of software is not GORM's guess.
func (Software) TableName() string { return "softwares" }

// Adapter stands between connector and inlet.
type Adapter struct {
	ID   int64 `gorm:"primaryKey"`
	Name string
	MaxA *float64 `gorm:"column:max_a"`
	MaxV *float64 `gorm:"column:max_v"`
}

// Run is one run as the logbook keeps it, without its readings.
type Run struct {
	ID         int64 `gorm:"primaryKey"`
	Title      string
	StartedAt  *time.Time
	Timezone   string
	CarID      *int64
	Car        *Car
	SoftwareID *int64
	Software   *Software
	StallID    *int64
	Stall      *Stall
	AdapterID  *int64
	Adapter    *Adapter

	MethodName    string
	FromPct       *float64
	ToPct         *float64
	Clock         string
	MethodClimate string

	OdometerKM        *float64 `gorm:"column:odometer_km"`
	Lessons           int      `gorm:"->"` // how often other runs have taught something new
	LessonsRead       int      `gorm:"->"` // how much of it the figures knew
	AmbientC          *float64 `gorm:"column:ambient_c"`
	BatteryC          *float64 `gorm:"column:battery_c"`
	Preconditioned    string
	PreconditionedMin *float64
	Profile           string
	Teaches           vehicle.Teaches `gorm:"->"` // whether a person lets it say what its car is like
	Climate           string
	Weather           string
	Label             string
	Claims            []run.Claim `gorm:"serializer:json"`

	OwnerID *int64 `gorm:"->"` // a person of the crew; nil: nobody's in particular
	Shared  bool   `gorm:"->"` // every tester may change it

	Live          bool
	PreparationID *int64
	Plan          *forecast.Plan `gorm:"serializer:json"` // what a live run's forecast was made from

	Document    *string
	Fingerprint string
	Revision    int `gorm:"default:1"`
	CreatedAt   time.Time
	DeletedAt   gorm.DeletedAt

	Recordings []Recording
	Marks      []Mark
	Unread     Unread `gorm:"-"`
}

// Recording is one source's readings, without the readings themselves.
type Recording struct {
	ID                int64 `gorm:"primaryKey"`
	RunID             int64
	Position          int
	Name              string
	Side              string
	ClockOffsetS      float64
	ClockDriftPPM     float64 `gorm:"column:clock_drift_ppm"`
	ClockSettled      bool    // by a person's hand
	SoCResolutionPct  float64 `gorm:"column:soc_resolution_pct"`
	PowerTolerancePct float64
	Channels          string // comma-separated
	Readings          int
	LeftOut           int
	Layout            *string
}

type recordingFile struct {
	RecordingID int64 `gorm:"primaryKey;autoIncrement:false"`
	Name        string
	Content     []byte
	Canonical   bool
}

func (recordingFile) TableName() string { return "recording_files" }

// Mark is a time-stamped note; TS is seconds after the run's start.
type Mark struct {
	ID    int64 `gorm:"primaryKey"`
	RunID int64
	TS    float64 `gorm:"column:t_s"`
	Kind  string
	Note  string
}

// result is what was worked out from a run, good for one revision of it and one
// version of the arithmetic.
type result struct {
	RunID      int64 `gorm:"primaryKey;autoIncrement:false"`
	Arithmetic int
	Revision   int
	Strip      []byte // packed
	Readings   string // every figure, JSON, a line for each clock and side
	Curves     []byte // reduced curves, packed
	Stamp      string // new with every keeping

	seen *Results // what was read of it before; nil: it is to be read
}

func (result) TableName() string { return "results" }

// Arrival is a file that waits for the tester's word.
type Arrival struct {
	ID        int64 `gorm:"primaryKey"`
	Name      string
	Content   []byte
	Size      int64
	Choices   string
	CreatedAt time.Time
}
