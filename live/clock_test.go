package live

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

func metered(at time.Time, w int) string {
	return fmt.Sprintf(
		`{"connectorId":1,"meterValue":[{"timestamp":%q,"sampledValue":[{"value":"%d","measurand":"Power.Active.Import","unit":"W"}]}]}`,
		at.UTC().Format(time.RFC3339Nano),
		w,
	)
}

// A message that was kept for a quarter of an hour does not put what follows ahead; one
// without a time is refused.
func TestClockOfAChargePointIsNotThatOfAnOldMessage(t *testing.T) {
	book, id, p := centreFor(t, nil)
	now := time.Now()
	p.call("MeterValues", metered(now.Add(-15*time.Minute), 9000))
	for i := range 4 {
		p.call("MeterValues", metered(time.Now().Add(time.Duration(i)*10*time.Millisecond), 9100+i))
	}
	rec := readingsOf(t, book, id)
	require.Len(t, rec.T, 5)
	assert.Zero(t, rec.ClockOffsetS)
	assert.InDelta(t, -900, rec.T[0], 3)

	answer := p.call(
		"MeterValues",
		`{"connectorId":1,"meterValue":[{"sampledValue":[{"value":"9000","measurand":"Power.Active.Import","unit":"W"}]}]}`,
	)
	assert.Contains(t, answer, "OccurenceConstraintViolation")
	assert.Contains(t, answer, "timestamp is missing")
	assert.Len(t, readingsOf(t, book, id).T, 5, "nothing of it is stored")
	assert.Contains(
		t,
		p.call("StartTransaction", `{"connectorId":1,"idTag":"A","meterStart":5}`),
		"OccurenceConstraintViolation",
	)
}

// A charger that sets its clock goes on in another recording, lined up anew.
func TestAClockThatWasSet(t *testing.T) {
	book, id, p := centreFor(t, nil)
	for i := range 3 {
		p.call("MeterValues", metered(time.Now().Add(-time.Hour), 9000+i))
	}
	p.call("MeterValues", metered(time.Now(), 9500))
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, row.Recordings, 2)
	assert.InDelta(t, 3600, row.Recordings[0].ClockOffsetS, 3)
	assert.InDelta(t, 0, row.Recordings[1].ClockOffsetS, 3)
	assert.Equal(t, 3, row.Recordings[0].Readings)
	assert.Equal(t, 1, row.Recordings[1].Readings)
	assert.Contains(t, row.Marks[len(row.Marks)-1].Note, "the stall's clock was set by 60 min; lined up again")
}

// The end of a neighbour's transaction at the other connector is none of this run's, and
// a charge point that reports volts and amps only has power all the same.
func TestNeighboursTransactionAndVoltsTimesAmps(t *testing.T) {
	book, id, p := centreFor(t, nil)
	at := func() string { return time.Now().UTC().Format(time.RFC3339Nano) }
	own := transactionOf(t, p.call("StartTransaction",
		fmt.Sprintf(`{"connectorId":1,"idTag":"A","meterStart":1000,"timestamp":%q}`, at())))
	other := transactionOf(t, p.call("StartTransaction",
		fmt.Sprintf(`{"connectorId":2,"idTag":"B","meterStart":5000,"timestamp":%q}`, at())))
	require.NotEqual(t, own, other)
	p.call("StopTransaction", fmt.Sprintf(`{"transactionId":%d,"meterStop":9000,"timestamp":%q}`, other, at()))
	p.call("StopTransaction", fmt.Sprintf(`{"transactionId":%d,"meterStop":9000,"timestamp":%q}`, own+999, at()))
	assert.Len(t, readingsOf(t, book, id).T, 1, "only this connector's start")
	p.call("StopTransaction", fmt.Sprintf(`{"transactionId":%d,"meterStop":2000,"timestamp":%q}`, own, at()))
	assert.Len(t, readingsOf(t, book, id).T, 2)

	p.call("StatusNotification", `{"connectorId":1,"errorCode":"NoError","status":"Preparing"}`)
	p.call("MeterValues", fmt.Sprintf(`{"connectorId":1,"meterValue":[{"timestamp":%q,"sampledValue":[
		{"value":"400","measurand":"Voltage","unit":"V"},{"value":"120","measurand":"Current.Import","unit":"A"}]}]}`, time.Now().Add(time.Second).UTC().Format(time.RFC3339Nano)))
	p.call("StatusNotification", `{"connectorId":1,"errorCode":"NoError","status":"Available"}`)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	last := row.Marks[len(row.Marks)-1]
	assert.Equal(t, run.Unplug, last.Kind, "48 kW flowed: no failed attempt")
}

// Readings that there was no room for are counted and said on the run.
func TestLostReadingsAreSaid(t *testing.T) {
	book, id, _ := centreFor(t, nil)
	f, err := book.FeedAt(context.Background(), "MILL-3", 1)
	require.NoError(t, err)
	k := newKeeper(&Recorder{Book: book}, *f, 1000)
	k.pending = make([]logbook.Sample, 0, room)
	for i := range room + 7 {
		k.add(logbook.Sample{TS: float64(i), HeardS: float64(i), Values: nil})
	}
	k.pending = k.pending[:3] // the rest would take long to store
	require.NoError(t, k.flush(context.Background()))
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	require.NotEmpty(t, row.Marks)
	assert.Equal(t, "7 readings were lost: the database was away for too long", row.Marks[0].Note)
	assert.Zero(t, k.lost)
}

// The start of a run is put on the monotonic clock, so that what is counted from it does not move with the
// machine's wall clock; to the wall it is when it was.
func TestStartsAreOnTheMonotonicClock(t *testing.T) {
	book, err := logbook.Open(t.Context(), server.URL(t), logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	at := time.Now().Add(-90 * time.Second).UTC().Truncate(time.Millisecond)
	id, err := book.StartLive(t.Context(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	r := &Recorder{Book: book, Log: logbooktest.Quiet()}
	start, err := r.startOf(t.Context(), id)
	require.NoError(t, err)
	assert.Contains(t, start.String(), " m=", "it has a monotonic reading")
	assert.WithinDuration(t, at, start, 5*time.Millisecond)
	again, err := r.startOf(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, start, again)
}
