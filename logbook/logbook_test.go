package logbook_test

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/curve"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/demo"
	"zincroad/formats/intake"
	"zincroad/formats/runfolder"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

var server *logbooktest.Server

func TestMain(m *testing.M) {
	var err error
	if server, err = logbooktest.Start(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := 1
	err = server.Prepare(demoBook, func(b *logbook.Book) error {
		return cmp.Or(demo.Load(ctx, b, func(string) {}), b.Rework(ctx, nil))
	})
	if err == nil {
		code = m.Run()
	} else {
		fmt.Fprintln(os.Stderr, err)
	}
	if err := server.Stop(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

var ctx = context.Background()

// demoBook is the prepared database with the demo's runs, all worked out.
const demoBook = "zincroad_demo"

func bundle(t testing.TB, i int) *intake.Bundle {
	t.Helper()
	b, err := demo.Bundle(i)
	require.NoError(t, err)
	return b
}

func TestWhatIsStoredComesBack(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 0)
	in.Run.Recordings[0].Columns[trace.SoC][3] = math.NaN()
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	out, err := b.Load(ctx, row)
	require.NoError(t, err)
	require.Len(t, out.Recordings, len(in.Run.Recordings))
	for i, want := range in.Run.Recordings {
		got := out.Recordings[i]
		assert.Equal(t, want.T, got.T)
		require.Len(t, got.Columns, len(want.Columns))
		for c, col := range want.Columns {
			assert.Equal(t, fmt.Sprint(col), fmt.Sprint(got.Columns[c]), "%s", c)
		}
		assert.Equal(t, want.Side, got.Side)
		assert.Equal(t, want.SoCResolutionPct, got.SoCResolutionPct)
	}
	assert.Equal(t, in.Run.Marks, out.Marks)
	assert.Equal(t, in.Run.Car, out.Car)
	assert.Equal(t, in.Run.Stall, out.Stall)
	assert.Equal(t, in.Run.Method, out.Method)
	assert.Equal(t, in.Run.Conditions, out.Conditions)
	assert.Equal(t, in.Run.Claims, out.Claims)
	assert.Equal(t, in.Run.StartedAt, out.StartedAt)
}

// A run folder comes back to the byte, file by file.
func TestRunFolderComesBackIdentical(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 10)
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	parcel, err := b.Parcel(ctx, row)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, parcel.WriteZip(&out))
	z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	want := map[string][]byte{runfolder.DocumentName: in.Document}
	for _, f := range in.Files {
		want[f.Name] = f.Bytes
	}
	require.Len(t, z.File, len(want)+1)
	for _, f := range z.File {
		if f.Name == runfolder.DataPackageName { // made anew each time
			continue
		}
		r, err := f.Open()
		require.NoError(t, err)
		got, err := io.ReadAll(r)
		require.NoError(t, err)
		assert.Equal(t, string(want[f.Name]), string(got), f.Name)
	}
}

// Typed readings and foreign tables travel as a run folder too, and say the same
// when they are read again.
func TestTypedRunTravelsAsARunFolder(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 19)
	require.Equal(t, intake.TypedKind, in.Kind)
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	parcel, err := b.Parcel(ctx, row)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, parcel.WriteZip(&out))
	again, err := intake.Bytes("x.zip", out.Bytes(), intake.Choices{})
	require.NoError(t, err)
	want, got := curve.Read(in.Run, curve.Options{}), curve.Read(again.Run, curve.Options{})
	assert.Equal(t, want.Posts, got.Posts)
	assert.Equal(t, want.Windows, got.Windows)
	assert.Equal(t, want.Energy, got.Energy)
}

func TestTheSameFilesAreNoticed(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 1)
	_, found, err := b.Twin(ctx, in.Files)
	require.NoError(t, err)
	assert.False(t, found)
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	twin, found, err := b.Twin(ctx, bundle(t, 1).Files)
	require.NoError(t, err)
	require.True(t, found)
	assert.Equal(t, id, twin.ID)
	_, found, err = b.Twin(ctx, bundle(t, 2).Files)
	require.NoError(t, err)
	assert.False(t, found)
	require.NoError(t, b.DeleteRun(ctx, id))
	_, found, err = b.Twin(ctx, in.Files)
	require.NoError(t, err)
	assert.False(t, found, "a run that was put aside does not count")
}

// All or nothing: a run that breaks a rule in its last mark leaves no trace.
func TestSaveIsAllOrNothing(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 0)
	in.Run.Recordings[1].Side = "roof"
	_, err := b.Save(ctx, in)
	require.ErrorIs(t, err, logbook.ErrRefused)
	n, err := b.Count(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
	cars, err := b.Cars(ctx)
	require.NoError(t, err)
	assert.Empty(t, cars, "not even the car")
}

func TestGarageFillsWhatItDoesNotKnowAndKeepsTheRest(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	car := &logbook.Car{Name: "Tamarack 78", MaxKW: run.N(111)}
	require.NoError(t, b.SaveCar(ctx, car))
	id, err := b.Save(ctx, bundle(t, 0))
	require.NoError(t, err)
	kept, err := b.Car(ctx, car.ID)
	require.NoError(t, err)
	assert.Equal(t, 111.0, *kept.MaxKW, "what the garage says stays")
	assert.Equal(t, 75.0, *kept.UsableKWh, "what it did not know is taken over")
	require.Len(t, kept.Softwares, 1)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 200.0, *row.Describe().Car.MaxKW, "the run says what it said")

	require.ErrorIs(t, b.DeleteCar(ctx, car.ID), logbook.ErrInUse)
	require.ErrorIs(t, b.SaveCar(ctx, &logbook.Car{Name: "Tamarack 78"}), logbook.ErrTaken)
	require.ErrorIs(t, b.SaveCar(ctx, &logbook.Car{Name: "x", MaxKW: run.N(-1)}), logbook.ErrRefused)
	require.ErrorIs(t, b.DeleteSoftware(ctx, kept.Softwares[0].ID), logbook.ErrInUse)
	_, err = b.Car(ctx, 999)
	require.ErrorIs(t, err, logbook.ErrNotFound)
}

// Results belong to a revision: a moved mark is seen at once, also by another copy
// of the program on the same database.
// Results that were just worked out are those that are read the next time, to the last digit of every curve.
func TestResultsAreShownAsTheyAreKept(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	id, err := b.Save(ctx, bundle(t, 0))
	require.NoError(t, err)
	text := func() string {
		row, err := b.Run(ctx, id)
		require.NoError(t, err)
		res, err := b.Results(ctx, row)
		require.NoError(t, err)
		require.NotEmpty(t, res.Curves)
		var out strings.Builder
		for _, o := range res.Of() {
			require.NoError(t, json.NewEncoder(&out).Encode(res.Reading(o.Clock, o.Side)))
		}
		for _, side := range []trace.Side{trace.CarSide, trace.StallSide} {
			fmt.Fprintf(&out, "%v\n", res.Curves[side]) // as text: NaN is like NaN there
		}
		return out.String()
	}
	first := text()
	assert.True(t, first == text(), "worked out, and read from what was kept")
}

func TestResultsFollowEdits(t *testing.T) {
	t.Parallel()
	url := server.URL(t)
	open := func() *logbook.Book {
		b, err := logbook.Open(ctx, url, logbooktest.Quiet())
		require.NoError(t, err)
		t.Cleanup(func() { b.Close() })
		return b
	}
	b, other := open(), open()
	id, err := b.Save(ctx, bundle(t, 0))
	require.NoError(t, err)
	post := func(b *logbook.Book) float64 {
		row, err := b.Run(ctx, id)
		require.NoError(t, err)
		res, err := b.Results(ctx, row)
		require.NoError(t, err)
		v, ok := res.Reading("", "").Post(20)
		require.True(t, ok)
		return v
	}
	before := post(b)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	m := row.Marks[0]
	require.Equal(t, run.PlugIn, m.Kind)
	m.TS += 7
	require.NoError(t, b.SaveMark(ctx, &m))
	assert.InDelta(t, before-7, post(other), 1e-6)
	assert.InDelta(t, before-7, post(b), 1e-6, "and from what was kept")

	gone, err := b.DeleteMark(ctx, id, m.ID)
	require.NoError(t, err)
	assert.InDelta(t, before, post(other), 1e-6, "without the mark the earliest reading counts")
	gone.ID = 0
	require.NoError(t, b.SaveMark(ctx, gone))
	assert.InDelta(t, before-7, post(b), 1e-6)
	require.ErrorIs(t, b.SaveMark(ctx, &logbook.Mark{ID: 9999, RunID: id, Kind: run.Note}), logbook.ErrNotFound)
}

func TestRoad(t *testing.T) {
	t.Parallel()
	b := server.BookFrom(t, demoBook)
	count := func(f logbook.RoadFilter) int {
		rows, total, _, err := b.Road(ctx, f)
		require.NoError(t, err)
		if f.Limit == 0 {
			require.Len(t, rows, total)
		}
		return total
	}
	assert.Equal(t, 20, count(logbook.RoadFilter{}))
	assert.Equal(t, 8, count(logbook.RoadFilter{Car: "Tamarack 78"}))
	assert.Equal(t, 1, count(logbook.RoadFilter{Software: "2.3"}))
	assert.Equal(t, 2, count(logbook.RoadFilter{Stall: "Copse Lane Quarry 1"}))
	assert.Equal(t, 3, count(logbook.RoadFilter{Preconditioned: "driven", Car: "Osier 88"}))
	assert.Equal(t, 1, count(logbook.RoadFilter{AmbientBelow: run.N(0)}))
	assert.Equal(t, 4, count(logbook.RoadFilter{AmbientFrom: run.N(10)}), "10, 11, 13 and 11 °C")
	assert.Equal(t, 1, count(logbook.RoadFilter{Text: "neighbour cabinet"}))
	assert.Equal(t, 0, count(logbook.RoadFilter{Text: "100%_"}), "wildcards are letters")

	rows, _, longest, err := b.Road(ctx, logbook.RoadFilter{Sort: "fastest"})
	require.NoError(t, err)
	for i := 1; i < len(rows); i++ {
		assert.LessOrEqual(t, *rows[i-1].WindowS, *rows[i].WindowS)
	}
	for _, r := range rows {
		assert.LessOrEqual(t, r.LengthS, longest)
		assert.NotEmpty(t, r.Strip.T)
	}
	first, _, _, err := b.Road(ctx, logbook.RoadFilter{GroupBy: "car", Limit: 7})
	require.NoError(t, err)
	grouped, _, _, err := b.Road(ctx, logbook.RoadFilter{GroupBy: "car", Limit: 7, After: first[6].ID})
	require.NoError(t, err)
	require.Len(t, grouped, 7)
	for i := 1; i < len(grouped); i++ {
		assert.LessOrEqual(t, grouped[i-1].Car, grouped[i].Car)
	}
}

func TestDeleteAndRestore(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	id, err := b.Save(ctx, bundle(t, 3))
	require.NoError(t, err)
	require.NoError(t, b.DeleteRun(ctx, id))
	require.ErrorIs(t, b.DeleteRun(ctx, id), logbook.ErrNotFound)
	_, total, _, err := b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	assert.Zero(t, total)
	aside, err := b.Deleted(ctx)
	require.NoError(t, err)
	require.Len(t, aside, 1)
	require.NoError(t, b.RestoreRun(ctx, id))
	_, total, _, err = b.Road(ctx, logbook.RoadFilter{})
	require.NoError(t, err)
	assert.Equal(t, 1, total)
	require.ErrorIs(t, b.RestoreRun(ctx, 999), logbook.ErrNotFound)
}

func TestArrivalsWait(t *testing.T) {
	b := server.Book(t)
	id, err := b.Arrive(ctx, "log.csv", []byte("t_s,soc_pct\n0,1\n"))
	require.NoError(t, err)
	a, err := b.Arrival(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "t_s,soc_pct\n0,1\n", string(a.Content))
	list, err := b.Arrivals(ctx)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Empty(t, list[0].Content)
	require.NoError(t, b.Tidy(ctx))
	require.NoError(t, b.DropArrival(ctx, id))
	_, err = b.Arrival(ctx, id)
	require.ErrorIs(t, err, logbook.ErrNotFound)
}

func TestSaveGivesUpWithItsContext(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	short, cancel := context.WithTimeout(ctx, time.Nanosecond)
	defer cancel()
	_, err := b.Save(short, bundle(t, 0))
	require.ErrorIs(t, err, context.DeadlineExceeded)
	n, err := b.Count(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
}

// Readings belong to a recording, whoever writes them, and go with it.
func TestReadingsBelongToARecording(t *testing.T) {
	t.Parallel()
	url := server.URL(t)
	b, err := logbook.Open(ctx, url, logbooktest.Quiet())
	require.NoError(t, err)
	defer b.Close()
	id, err := b.Save(ctx, bundle(t, 19))
	require.NoError(t, err)
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("INSERT INTO readings (recording_id, n, t_s) VALUES (4711, 0, 0)")
	require.ErrorContains(t, err, "readings without a recording")
	_, err = db.Exec("UPDATE readings SET recording_id = 4711")
	require.ErrorContains(t, err, "readings without a recording")
	_, err = db.Exec("DELETE FROM runs WHERE id = $1", id)
	require.NoError(t, err)
	var n int
	require.NoError(t, db.QueryRow("SELECT count(*) FROM readings").Scan(&n))
	assert.Zero(t, n)
}

func TestSitesStallsAndAdapters(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	site := &logbook.Site{Name: "Lime Kiln", Note: "behind the gate"}
	require.NoError(t, b.SaveSite(ctx, site))
	require.ErrorIs(t, b.SaveSite(ctx, &logbook.Site{Name: "Lime Kiln"}), logbook.ErrTaken)
	require.ErrorIs(t, b.SaveSite(ctx, &logbook.Site{}), logbook.ErrRefused, "a site has a name")

	tariff := &run.Tariff{
		Currency: "EUR",
		PerMin:   []run.Tier{{UpToKW: run.N(90), Price: run.N(0.3)}, {Price: run.N(0.6)}},
	}
	stall := &logbook.Stall{
		SiteID:  site.ID,
		Name:    "2",
		RatedKW: run.N(150),
		MinV:    run.N(200),
		MaxV:    run.N(920),
		Tariff:  tariff,
	}
	require.NoError(t, b.SaveStall(ctx, stall))
	require.ErrorIs(t, b.SaveStall(ctx, &logbook.Stall{SiteID: site.ID, Name: "2"}), logbook.ErrTaken)
	require.ErrorIs(t, b.SaveStall(ctx, &logbook.Stall{SiteID: 99, Name: "1"}), logbook.ErrInUse,
		"a stall stands at a site")
	require.ErrorIs(t,
		b.SaveStall(ctx, &logbook.Stall{SiteID: site.ID, Name: "3", MinV: run.N(500), MaxV: run.N(200)}),
		logbook.ErrRefused)
	kept, err := b.Stall(ctx, stall.ID)
	require.NoError(t, err)
	assert.Equal(t, tariff, kept.Tariff)
	assert.Equal(t, "Lime Kiln", kept.Site.Name)
	assert.Equal(
		t,
		&run.Stall{
			Site:    "Lime Kiln",
			Name:    "2",
			RatedKW: run.N(150),
			MinV:    run.N(200),
			MaxV:    run.N(920),
			Tariff:  tariff,
		},
		kept.Describe(),
	)

	// A run at a stall that the sites know fills in what they do not, and nothing else.
	in := bundle(t, 5)
	in.Run.Stall = &run.Stall{Site: "Lime Kiln", Name: "2", RatedKW: run.N(175), MaxA: run.N(400)}
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	kept, err = b.Stall(ctx, stall.ID)
	require.NoError(t, err)
	assert.Equal(t, 150.0, *kept.RatedKW)
	assert.Equal(t, 400.0, *kept.MaxA)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, stall.ID, *row.StallID)
	require.ErrorIs(t, b.DeleteStall(ctx, stall.ID), logbook.ErrInUse)
	require.ErrorIs(t, b.DeleteSite(ctx, site.ID), logbook.ErrInUse)
	empty := &logbook.Site{Name: "Slate Pit"}
	require.NoError(t, b.SaveSite(ctx, empty))
	require.NoError(t, b.DeleteSite(ctx, empty.ID))
	sites, err := b.Sites(ctx)
	require.NoError(t, err)
	require.Len(t, sites, 1)

	adapter := &logbook.Adapter{Name: "short lead", MaxA: run.N(300), MaxV: run.N(500)}
	require.NoError(t, b.SaveAdapter(ctx, adapter))
	require.ErrorIs(t, b.SaveAdapter(ctx, &logbook.Adapter{Name: "short lead"}), logbook.ErrTaken)
	list, err := b.Adapters(ctx)
	require.NoError(t, err)
	require.Len(t, list, 1)
	row.AdapterID = &adapter.ID
	require.NoError(t, b.SaveDetails(ctx, row))
	require.ErrorIs(t, b.DeleteAdapter(ctx, adapter.ID), logbook.ErrInUse)
}

// Details are stored as they are, also what was emptied; software belongs to its car.
func TestSaveDetails(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	id, err := b.Save(ctx, bundle(t, 1))
	require.NoError(t, err)
	other := &logbook.Car{Name: "Whitebeam 60"}
	require.NoError(t, b.SaveCar(ctx, other))
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	before := row.Revision
	row.Weather, row.AmbientC, row.FromPct, row.ToPct = "hail", nil, run.N(20), run.N(70)
	require.NoError(t, b.SaveDetails(ctx, row))
	row, err = b.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "hail", row.Weather)
	assert.Nil(t, row.AmbientC)
	assert.Greater(t, row.Revision, before, "results are worked out anew")
	res, err := b.Results(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, "20–70 %", strings.Join(strings.Fields(res.Reading("", "").Findings[0].Text.Kept())[:2], " "))

	sunny := *row
	sunny.Weather = "sun"
	marks := []logbook.Mark{{TS: 30, Kind: "heater"}, {TS: 40, Kind: "no such kind"}}
	require.ErrorIs(t, b.SaveDetails(ctx, &sunny, marks...), logbook.ErrRefused)
	kept, err := b.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "hail", kept.Weather, "all of it or nothing")
	assert.Len(t, kept.Marks, len(row.Marks))

	stale := *kept
	kept.Title = "By another"
	require.NoError(t, b.SaveDetailsUnchanged(ctx, kept))
	stale.Weather = "rain"
	require.ErrorIs(t, b.SaveDetailsUnchanged(ctx, &stale), logbook.ErrChanged)
	kept, err = b.Run(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "By another", kept.Title, "what was read before does not undo it")
	assert.Equal(t, "hail", kept.Weather)

	row.CarID = &other.ID // with the software of the car before
	require.ErrorIs(t, b.SaveDetails(ctx, row), logbook.ErrInUse)
	again, err := b.SoftwareOf(ctx, other.ID, "0.9")
	require.NoError(t, err)
	same, err := b.SoftwareOf(ctx, other.ID, "0.9")
	require.NoError(t, err)
	assert.Equal(t, again, same)
	row.SoftwareID = &again
	require.NoError(t, b.SaveDetails(ctx, row))
	row.ID = 999
	require.ErrorIs(t, b.SaveDetails(ctx, row), logbook.ErrNotFound)
}

// An edited run leaves with its edit and with what was never known here.
func TestEditedRunFolderKeepsTheRest(t *testing.T) {
	t.Parallel()
	b := server.Book(t)
	in := bundle(t, 2)
	in.Document = []byte(strings.Replace(string(in.Document), `"format"`, `"job": 4711, "format"`, 1))
	id, err := b.Save(ctx, in)
	require.NoError(t, err)
	row, err := b.Run(ctx, id)
	require.NoError(t, err)
	row.Weather = "hail"
	require.NoError(t, b.SaveDetails(ctx, row))
	row, err = b.Run(ctx, id)
	require.NoError(t, err)
	parcel, err := b.Parcel(ctx, row)
	require.NoError(t, err)
	doc, err := runfolder.Document(parcel.Run, nil, []byte(*row.Document))
	require.NoError(t, err)
	assert.Contains(t, string(doc), `"weather": "hail"`)
	assert.Contains(t, string(doc), `"job": 4711`)
	then, err := runfolder.Describe(doc)
	require.NoError(t, err)
	assert.Equal(t, in.Run.Car, then.Car)
}

// The newest software is the one used or noted last, whatever it is called: 2099.10 came
// after 2099.9.
func TestSoftwareInOrderOfFirstUse(t *testing.T) {
	ctx := context.Background()
	b := server.Book(t)
	car := &logbook.Car{Name: "Alder 64"}
	require.NoError(t, b.SaveCar(ctx, car))
	for _, version := range []string{"2099.9", "2099.10", "2099.2"} {
		require.NoError(t, b.SaveSoftware(ctx, &logbook.Software{CarID: car.ID, Version: version}))
	}
	kept, err := b.Car(ctx, car.ID)
	require.NoError(t, err)
	var order []string
	for _, s := range kept.Softwares {
		order = append(order, s.Version)
	}
	assert.Equal(t, []string{"2099.9", "2099.10", "2099.2"}, order)

	// A run of last year was the first with 2099.2.
	long := time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)
	_, err = b.StartLive(ctx, &logbook.Run{StartedAt: &long, CarID: &car.ID, SoftwareID: &kept.Softwares[2].ID})
	require.NoError(t, err)
	kept, err = b.Car(ctx, car.ID)
	require.NoError(t, err)
	assert.Equal(t, "2099.2", kept.Softwares[0].Version)
	assert.Equal(t, "2099.10", kept.Softwares[2].Version)
}

// A software version's own heater, navigation and gentle envelope stand instead of the
// car's; what it does not say is as the car has it.
func TestSoftwareChangesWhatWarms(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := server.Book(t)
	four, six, ten := 4.0, 6.0, 10.0
	car := &logbook.Car{Name: "Alder 64", HeaterKW: &four, GentleEnvelope: []run.Point{{SoCPct: 0, KW: 30}}}
	require.NoError(t, b.SaveCar(ctx, car))
	require.NoError(t, b.SaveSoftware(ctx, &logbook.Software{CarID: car.ID, Version: "2", HeaterKW: &six,
		Navigation: &run.Navigation{MinPct: &ten, StopOnly: true}}))
	kept, err := b.Car(ctx, car.ID)
	require.NoError(t, err)
	old, updated := kept.Describe("1"), kept.Describe("2")
	assert.Equal(t, 4.0, *old.HeaterKW)
	assert.Nil(t, old.Navigation)
	assert.Equal(t, 6.0, *updated.HeaterKW)
	require.NotNil(t, updated.Navigation)
	assert.Equal(t, 10.0, *updated.Navigation.MinPct)
	assert.True(t, updated.Navigation.StopOnly)
	assert.Equal(t, car.GentleEnvelope, updated.GentleEnvelope)
}
