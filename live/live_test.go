package live

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/profile"
	"zincroad/internal/fuzzed"
	"zincroad/internal/ocppschema"
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
	code := m.Run()
	server.Stop()
	os.Exit(code)
}

// Worked through by hand from ISO 15765-2 (from memory).
func TestAssembly(t *testing.T) {
	for _, tt := range []struct {
		name   string
		frames [][]byte
		want   []byte
		err    error
	}{
		{"single", [][]byte{{3, 0x62, 0xD0, 0x10, 0xAA}}, []byte{0x62, 0xD0, 0x10}, nil},
		{"ten bytes", [][]byte{{0x10, 10, 1, 2, 3, 4, 5, 6}, {0x21, 7, 8, 9, 10, 0xAA}},
			[]byte{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}, nil},
		{"out of order", [][]byte{{0x10, 20, 1, 2, 3, 4, 5, 6}, {0x22, 7, 8, 9, 10, 11, 12, 13}}, nil, ErrSequence},
		{"nothing begun", [][]byte{{0x21, 7}}, nil, ErrSequence},
		{"a single frame that is too short", [][]byte{{5, 1, 2}}, nil, ErrFrame},
		{"a length of nothing", [][]byte{{0}}, nil, ErrFrame},
		{"a first frame cut off", [][]byte{{0x10, 20, 1}}, nil, ErrFrame},
		{"an unknown kind", [][]byte{{0x50, 1}}, nil, ErrFrame},
		{"flow control says nothing", [][]byte{{0x30, 0, 0}}, nil, nil},
		{"empty", [][]byte{{}}, nil, ErrFrame},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var a assembly
			var got []byte
			var err error
			for _, f := range tt.frames {
				if got, err = a.add(f); err != nil {
					break
				}
			}
			assert.Equal(t, tt.want, got)
			assert.ErrorIs(t, err, tt.err)
		})
	}
}

func FuzzAnswerOf(f *testing.F) {
	f.Add("7EC0362D010\r7EC10")
	f.Add("SEARCHING...\r7A9 10 0D 62 D0 30 00 00 00\r7A9 21 1")
	f.Add("CAN ERROR")
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzed.Watch(t)()
		_, _ = answerOf(strings.Split(text, "\r"), "7A9", "D030")
	})
}

// peer is a scripted adapter: for each command what it writes, piece by piece. It
// shares nothing with the stand-in.
type peer struct {
	t       *testing.T
	l       net.Listener
	answers map[string][]string // in turn; the last one stays
	asked   map[string]int
	hang    map[string]bool // hang up at this command
	open    atomic.Int32    // connections
}

func newPeer(t *testing.T, answers map[string][]string) *peer {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p := &peer{t: t, l: l, answers: answers, asked: map[string]int{}, hang: map[string]bool{}}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			p.talk(c) // one at a time, like the real thing
		}
	}()
	return p
}

func (p *peer) talk(c net.Conn) {
	p.open.Add(1)
	defer p.open.Add(-1)
	defer c.Close()
	in := bufio.NewReader(c)
	for {
		command, err := in.ReadString('\r')
		if err != nil {
			return
		}
		command = strings.TrimSpace(command)
		list := p.answers[command]
		text := "OK\r\r>"
		if n := p.asked[command]; len(list) > 0 {
			text = list[min(n, len(list)-1)]
		}
		p.asked[command]++
		if text == "hang up" {
			return
		}
		for _, piece := range strings.Split(text, "|") { // pieces arrive apart
			if _, err := c.Write([]byte(piece)); err != nil {
				return
			}
			<-time.After(2 * time.Millisecond)
		}
	}
}

const tiny = `{"format": "zincroad-profile/1", "name": "t", "channels": [
	{"channel": "soc_pct", "request_id": "7A1", "response_id": "7A9", "identifier": "D010", "length": 2,
		"factor": 0.01, "every_s": 0.05},
	{"channel": "battery_temp_min_c", "request_id": "7A1", "response_id": "7A9", "identifier": "D030", "start": 6, "length": 1, "offset": -40, "every_s": 0.05}]}`

// What real adapters do: echo though told not to, lines split anywhere, no spaces,
// answers of two control units in between, an answer that comes later, rubbish.
func TestReadsWhateverAnAdapterSays(t *testing.T) {
	for _, tt := range []struct {
		name, answer string
		want         []byte
		err          error
	}{
		{"plain", "7A9 05 62 D0 10 04 B0 AA AA \r\r>", []byte{4, 0xB0}, nil},
		{"no spaces", "7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"echo", "22D010\r7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"echo with spaces", "22 D0 10\r7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"line feeds", "7A90562D01004B0AAAA\r\n\r\n>", []byte{4, 0xB0}, nil},
		{"split anywhere", "7A|9 05 6|2 D0 |10 04 B0 AA A|A \r|\r|>", []byte{4, 0xB0}, nil},
		{"searching", "SEARCHING...\r7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"another unit before", "7BA 03 7F 22 31 AA AA AA AA\r7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"not yet, then the answer", "7A9037F2278AAAAAAAA\r7A90562D01004B0AAAA\r\r>", []byte{4, 0xB0}, nil},
		{"rubbish around", "\x00%&/\r7A90562D01004B0AAAA\rxyz\r\r>", []byte{4, 0xB0}, nil},
		{"refused", "7A9037F2231AAAAAAAA\r\r>", nil, ErrRefused},
		{"no data", "NO DATA\r\r>", nil, ErrNoData},
		{"stopped", "STOPPED\r\r>", nil, ErrAdapter},
		{"bus trouble", "CAN ERROR\r\r>", nil, ErrAdapter},
		{"not known", "?\r\r>", nil, ErrAdapter},
		{"another identifier", "7A90562D01104B0AAAA\r\r>", nil, ErrNoData},
		{"nothing", "\r>", nil, ErrNoData},
	} {
		t.Run(tt.name, func(t *testing.T) {
			p := newPeer(t, map[string][]string{"22D010": {tt.answer}})
			o, err := dialOBD(context.Background(), &Reach{}, p.l.Addr().String())
			require.NoError(t, err)
			defer o.Close()
			got, err := o.read("7A1", "7A9", "D010")
			assert.Equal(t, tt.want, got)
			assert.ErrorIs(t, err, tt.err)
		})
	}
	t.Run("two units at once, whole", func(t *testing.T) {
		// Twelve bytes of one and eighteen of another, frame by frame in turn.
		p := newPeer(
			t,
			map[string][]string{
				"22D030": {
					"7A9100C62D030010203\r7BA101262D030FFFFFF\r7A921040506070809AA\r7BA21FFFFFFFFFFFFFF\r7BA22FFFFFFFFFFAAAA\r\r>",
				},
			},
		)
		o, err := dialOBD(context.Background(), &Reach{}, p.l.Addr().String())
		require.NoError(t, err)
		defer o.Close()
		got, err := o.read("7A1", "7A9", "D030")
		require.NoError(t, err)
		assert.Equal(t, []byte{1, 2, 3, 4, 5, 6, 7, 8, 9}, got)
	})
	t.Run("silence", func(t *testing.T) {
		p := newPeer(t, map[string][]string{"22D010": {"7A9 05 62", "7A90562D01004B0AAAA\r\r>"}})
		o, err := dialOBD(context.Background(), &Reach{}, p.l.Addr().String())
		require.NoError(t, err)
		defer o.Close()
		o.wait = 150 * time.Millisecond
		_, err = o.read("7A1", "7A9", "D010")
		require.ErrorIs(t, err, os.ErrDeadlineExceeded, "half an answer and then nothing: the connection is given up")
		o.Close()
		again, err := dialOBD(context.Background(), &Reach{}, p.l.Addr().String())
		require.NoError(t, err)
		defer again.Close()
		got, err := again.read("7A1", "7A9", "D010")
		require.NoError(t, err)
		assert.Equal(t, []byte{4, 0xB0}, got)
	})
	t.Run("never an end", func(t *testing.T) {
		p := newPeer(t, map[string][]string{"22D010": {strings.Repeat("7A9", longestAnswer)}})
		o, err := dialOBD(context.Background(), &Reach{}, p.l.Addr().String())
		require.NoError(t, err)
		defer o.Close()
		_, err = o.read("7A1", "7A9", "D010")
		assert.ErrorIs(t, err, ErrNotSilent)
	})
}

// liveRun begins a run with an adapter at an address.
func liveRun(t *testing.T, book *logbook.Book, address, prof string) (int64, logbook.Feed) {
	t.Helper()
	at := time.Now().UTC()
	id, err := book.StartLive(context.Background(), &logbook.Run{StartedAt: &at})
	require.NoError(t, err)
	f := logbook.Feed{RunID: id, Kind: logbook.AdapterFeed, Address: address, Profile: prof}
	require.NoError(t, book.AddFeed(context.Background(), &f, trace.CarSide))
	return id, f
}

func readingsOf(t *testing.T, book *logbook.Book, id int64) *trace.Recording {
	t.Helper()
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	full, err := book.Load(context.Background(), row)
	require.NoError(t, err)
	if len(full.Recordings) == 0 {
		return &trace.Recording{}
	}
	return full.Recordings[0]
}

// An adapter that hangs up twice and is silent about one identifier: the recorder
// comes back each time, and what it can read is stored.
func TestRecorderComesBack(t *testing.T) {
	p := newPeer(t, map[string][]string{
		"22D010": {
			"7A90562D01004B0AAAA\r\r>",
			"7A90562D01004B1AAAA\r\r>",
			"hang up",
			"7A90562D01004B2AAAA\r\r>",
			"hang up",
			"7A90562D01004B3AAAA\r\r>",
		},
		"22D030": {"NO DATA\r\r>"},
	})
	book := server.Book(t)
	id, f := liveRun(t, book, p.l.Addr().String(), tiny)
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); (&Recorder{Book: book, Log: logbooktest.Quiet()}).Run(ctx) }()
	require.Eventually(t, func() bool {
		soc := readingsOf(t, book, id).Columns[trace.SoC]
		return len(soc) > 0 && soc[len(soc)-1] > 12.025
	}, 20*time.Second, 50*time.Millisecond)
	soc := readingsOf(t, book, id).Columns[trace.SoC]
	assert.InDeltaSlice(t, []float64{12, 12.01, 12.02}, soc[:3], 1e-9)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	assert.Empty(t, row.Marks, "a second or two are no silence")
	feeds, err := book.Feeds(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, logbook.FeedConnected, feeds[0].State)
	require.NoError(t, book.DeleteFeed(ctx, id, f.ID))
	require.Eventually(t, func() bool { return p.open.Load() == 0 }, 20*time.Second, 20*time.Millisecond,
		"a source that was taken away is not read any more")
	stop()
	<-done
}

// An adapter that is away for a while leaves a mark where it was heard last.
func TestSilenceIsMarked(t *testing.T) {
	for _, tt := range []struct {
		name   string
		quietS float64
		heard  []float64
		want   []string
	}{
		{"steady", 5, []float64{1, 3, 7, 11}, nil},
		{"away once", 5, []float64{1, 2, 64, 65}, []string{"2: nothing recorded for 1 min 02 s"}},
		{"away twice", 5, []float64{1, 10, 11, 30}, []string{"1: nothing recorded for 9 s", "11: nothing " +
			"recorded for 19 s"}},
		{"slow on purpose", 300, []float64{1, 61, 121}, nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			book := server.Book(t)
			id, f := liveRun(t, book, "192.0.2.1:1", tiny)
			k := newKeeper(&Recorder{Book: book, Log: logbooktest.Quiet()}, f, tt.quietS)
			for i, s := range tt.heard {
				k.add(logbook.Sample{TS: s, HeardS: s, Values: map[trace.Channel]float64{trace.SoC: 10}})
				if i%2 == 1 { // two at a time
					require.NoError(t, k.flush(context.Background()))
				}
			}
			require.NoError(t, k.flush(context.Background()))
			row, err := book.Run(context.Background(), id)
			require.NoError(t, err)
			var got []string
			for _, m := range row.Marks {
				got = append(got, fmt.Sprintf("%.0f: %s", m.TS, m.Note))
			}
			assert.Equal(t, tt.want, got)
			assert.Equal(t, tt.heard, readingsOf(t, book, id).T)
		})
	}
}

// Two copies of the program on one database: each reading is stored once, and when
// the one that reads ends, the other takes over.
func TestTwoCopiesShareTheWork(t *testing.T) {
	p := newPeer(t, map[string][]string{"22D010": {"7A90562D01004B0AAAA\r\r>"}, "22D030": {"NO DATA\r\r>"}})
	url := server.URL(t)
	book, err := logbook.Open(t.Context(), url, logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	id, _ := liveRun(t, book, p.l.Addr().String(), tiny)
	run := func() (stop func()) {
		ctx, cancel := context.WithCancel(context.Background())
		done := make(chan struct{})
		go func() { defer close(done); (&Recorder{Book: book, Log: logbooktest.Quiet()}).Run(ctx) }()
		return func() { cancel(); <-done }
	}
	asking := func() (n int64) { // copies whose last word to the database was to ask for a source
		require.NoError(t, db.QueryRow(`SELECT count(*) FROM pg_stat_activity
			WHERE datname = current_database() AND query LIKE '%pg_try_advisory_lock%' AND pid <> pg_backend_pid()`).Scan(&n))
		return n
	}
	first := run()
	require.Eventually(t, func() bool { return len(readingsOf(t, book, id).T) > 3 }, 10*time.Second,
		20*time.Millisecond)
	require.Eventually(t, func() bool { return asking() == 0 }, 10*time.Second, 5*time.Millisecond,
		"the one that reads does not ask for the source again")
	second := run()
	require.Eventually(t, func() bool { return asking() == 1 }, 10*time.Second, 5*time.Millisecond,
		"the other asks, and does not get it")
	first()
	n := len(readingsOf(t, book, id).T)
	require.Eventually(t, func() bool { return len(readingsOf(t, book, id).T) > n+3 }, 10*time.Second,
		20*time.Millisecond)
	second()
	rec := readingsOf(t, book, id)
	for i := 1; i < len(rec.T); i++ {
		require.Greater(t, rec.T[i], rec.T[i-1], "no reading twice")
	}
}

// point is a charge point in a test.
type point struct {
	*testing.T
	ws    *websocket.Conn
	check *ocppschema.Checker
	n     int
}

func (p *point) call(action, payload string) string {
	p.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	p.n++
	require.NoError(
		p,
		p.ws.Write(ctx, websocket.MessageText, fmt.Appendf(nil, `[2,"%d","%s",%s]`, p.n, action, payload)),
	)
	_, text, err := p.ws.Read(ctx)
	require.NoError(p, err)
	var parts []json.RawMessage
	require.NoError(p, json.Unmarshal(text, &parts))
	require.Equal(p, fmt.Sprintf("%q", fmt.Sprint(p.n)), string(parts[1]))
	if string(parts[0]) == "3" {
		p.check.Check(p.T, action+".conf", parts[2])
	}
	return string(text)
}

// Meter values as chargers send them: other units, phases, a clock that is wrong;
// every answer valid by the published schemas, and given when the reading is stored.
func TestCentre(t *testing.T) {
	book, id, p := centreFor(t, nil)
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	start := *row.StartedAt
	assert.Contains(t, p.call("BootNotification", `{"chargePointVendor":"v","chargePointModel":"m"}`), "Accepted")
	p.call("StatusNotification", `{"connectorId":1,"errorCode":"NoError","status":"Preparing"}`)
	p.call("Heartbeat", `{}`)
	p.call("Authorize", `{"idTag":"A"}`)
	wrong := start.Add(-7 * time.Minute) // its clock
	stamp := func(s float64) string {
		return wrong.Add(time.Duration(s * float64(time.Second))).Format(time.RFC3339Nano)
	}
	tx := transactionOf(t, p.call("StartTransaction",
		fmt.Sprintf(`{"connectorId":1,"idTag":"A","meterStart":120500,"timestamp":%q}`, stamp(1))))
	p.call("MeterValues", fmt.Sprintf(`{"connectorId":1,"meterValue":[{"timestamp":%q,"sampledValue":[
		{"value":"93.25","measurand":"Power.Active.Import","unit":"kW"},{"value":"31","measurand":"Power.Active.Import","unit":"kW","phase":"L1"},
		{"value":"121400","unit":"Wh"},{"value":"44","measurand":"SoC","unit":"Percent"},{"value":"nonsense","measurand":"Voltage","unit":"V"},
		{"value":"251.5","measurand":"Current.Import","unit":"A"},{"value":"120000","measurand":"Power.Offered","unit":"W"},
		{"value":"300","measurand":"Current.Offered","unit":"A"},{"value":"7","measurand":"Fan.Speed"}]}]}`, stamp(2)))
	p.call(
		"MeterValues",
		fmt.Sprintf(
			`{"connectorId":2,"meterValue":[{"timestamp":%q,"sampledValue":[{"value":"1","measurand":"Power.Active.Import"}]}]}`,
			stamp(3),
		),
	)
	p.call("StopTransaction", fmt.Sprintf(`{"transactionId":%d,"meterStop":121500,"timestamp":%q}`, tx, stamp(4)))
	assert.Contains(t, p.call("MeterValues", `{"connectorId":"x"}`), "ConstraintViolation")
	assert.Contains(t, p.call("Nonsense", `{}`), "NotImplemented")
	assert.Contains(t, p.call("DataTransfer", `{"vendorId":"v"}`), "UnknownVendorId")

	rec := readingsOf(t, book, id)
	require.Len(t, rec.T, 3, "start, one of connector 1, stop; connector 2 belongs to nobody")
	assert.Equal(t, 93.25, rec.Columns[trace.Power][1])
	assert.Equal(t, 251.5, rec.Columns[trace.Current][1])
	assert.Equal(t, 44.0, rec.Columns[trace.SoC][1])
	assert.InDelta(t, 121.4, rec.Columns[trace.Energy][1], 1e-9)
	assert.InDelta(t, 120.5, rec.Columns[trace.Energy][0], 1e-9)
	assert.Equal(t, 120.0, rec.Columns[trace.OfferedPower][1])
	assert.Equal(t, 300.0, rec.Columns[trace.OfferedAmps][1])
	assert.Nil(t, rec.Columns[trace.Voltage])
	assert.InDelta(t, -7*60+2, rec.T[1], 0.1, "as recorded: its own clock")
	assert.InDelta(t, 7*60, rec.ClockOffsetS, 3, "and how far that is off")
	row, err = book.Run(context.Background(), id)
	require.NoError(t, err)
	require.Len(t, row.Marks, 2)
	assert.Equal(t, run.PlugIn, row.Marks[0].Kind, "the stall was preparing")
	assert.Contains(t, row.Marks[1].Note, "behind; lined up")
}

// transactionOf is the number that a start of a transaction was answered with.
func transactionOf(t *testing.T, answer string) int {
	t.Helper()
	var parts []json.RawMessage
	require.NoError(t, json.Unmarshal([]byte(answer), &parts))
	var conf struct {
		TransactionID int `json:"transactionId"`
	}
	require.NoError(t, json.Unmarshal(parts[2], &conf))
	return conf.TransactionID
}

// centreFor begins a live run that a charge point reports to.
// centreFor is a live run with a charge point that is connected; now is the clock of
// the run, nil for the time of day.
func centreFor(t *testing.T, now func() time.Time) (*logbook.Book, int64, *point) {
	t.Helper()
	book := server.Book(t)
	start := time.Now().UTC()
	id, err := book.StartLive(context.Background(), &logbook.Run{StartedAt: &start})
	require.NoError(t, err)
	f := logbook.Feed{RunID: id, Kind: logbook.ChargePointFeed, Address: "MILL-3", Connector: 1}
	require.NoError(t, book.AddFeed(context.Background(), &f, trace.StallSide))
	centre := &Centre{Recorder: &Recorder{Book: book, Log: logbooktest.Quiet(), Now: now}}
	srv := httptest.NewServer(
		http.HandlerFunc(
			func(w http.ResponseWriter, r *http.Request) { centre.Serve(w, r, strings.TrimPrefix(r.URL.Path, "/")) },
		),
	)
	t.Cleanup(srv.Close)
	ws, _, err := websocket.Dial(context.Background(), "ws"+srv.URL[4:]+"/MILL-3",
		&websocket.DialOptions{Subprotocols: []string{"ocpp1.6"}})
	require.NoError(t, err)
	t.Cleanup(func() { ws.CloseNow() })
	return book, id, &point{T: t, ws: ws, check: ocppschema.New(t)}
}

// What a connector's status says makes the marks that nobody made by hand: a
// plug-in without power is an attempt, one with power ends with an unplug, and the
// tester's own mark stands instead of the stall's.
func TestStatusMakesMarks(t *testing.T) {
	var later atomic.Int64
	clock := func() time.Time { return time.Now().Add(time.Duration(later.Load())) }
	book, id, p := centreFor(t, clock)
	status := func(s string) {
		t.Helper()
		p.call("StatusNotification", fmt.Sprintf(`{"connectorId":1,"errorCode":"NoError","status":%q}`, s))
	}
	kinds := func() string {
		t.Helper()
		row, err := book.Run(context.Background(), id)
		require.NoError(t, err)
		var out []string
		for _, m := range row.Marks {
			by := ""
			if m.Note == run.ByStall {
				by = " by the stall"
			}
			out = append(out, m.Kind+by)
		}
		return strings.Join(out, ", ")
	}
	status("Available")
	assert.Empty(t, kinds())
	status("Preparing")
	status("Preparing")
	assert.Equal(t, "plug-in by the stall", kinds())
	status("Available")
	assert.Equal(t, "plug-in by the stall, attempt", kinds())
	later.Store(int64(1100 * time.Millisecond)) // marks of one kind are told apart by the second
	status("Preparing")
	row, err := book.Run(context.Background(), id)
	require.NoError(t, err)
	own := &logbook.Mark{RunID: id, TS: row.Marks[len(row.Marks)-1].TS - 0.1, Kind: run.PlugIn, Note: "swiped a card"}
	require.NoError(t, book.LiveMark(context.Background(), own, "own"))
	status("Charging")
	assert.Equal(t, "plug-in by the stall, attempt, plug-in", kinds(),
		"the tester's own mark took the place of what the stall said of this plug-in; that of the attempt stays")
	p.call(
		"MeterValues",
		fmt.Sprintf(
			`{"connectorId":1,"meterValue":[{"timestamp":%q,"sampledValue":[{"value":"9000","measurand":"Power.Active.Import","unit":"W"}]}]}`,
			clock().UTC().Format(time.RFC3339Nano),
		),
	)
	p.call("StatusNotification", `{"connectorId":0,"errorCode":"NoError","status":"Available"}`)
	assert.Equal(t, "plug-in by the stall, attempt, plug-in", kinds(),
		"the charge point as a whole says nothing of the plug")
	status("Finishing")
	assert.Equal(t, "plug-in by the stall, attempt, plug-in", kinds(), "finishing is not yet unplugged")
	status("Available")
	assert.Equal(t, "plug-in by the stall, attempt, plug-in, unplug by the stall", kinds())
}

// A charge point that has heard no answer says a meter value again: it is stored
// once.
func TestSaidAgainStoredOnce(t *testing.T) {
	book, id, p := centreFor(t, nil)
	at := time.Now().UTC()
	value := func(s int, w int) string {
		return fmt.Sprintf(
			`{"connectorId":1,"meterValue":[{"timestamp":%q,"sampledValue":[{"value":"%d","measurand":"Power.Active.Import","unit":"W"}]}]}`,
			at.Add(time.Duration(s)*time.Second).Format(time.RFC3339),
			w,
		)
	}
	for _, m := range []string{value(1, 9000), value(2, 9100), value(2, 9100), value(1, 9000), value(3, 9100)} {
		p.call("MeterValues", m)
	}
	assert.Equal(t, []float64{9, 9.1, 9.1}, readingsOf(t, book, id).Columns[trace.Power])
}

func TestProfilesThatCannotBeUsed(t *testing.T) {
	for _, tt := range []struct{ change, to, says string }{
		{`"soc_pct"`, `"charge"`, `"charge" is no channel`}, {`"7A1"`, `"7A"`,
			"request_id is \"7A\", expected 3 hexadecimal digits"},
		{`"length": 2`, `"length": 9`, "length is 9, expected 1 to 4 bytes"}, {`"D010"`, `"XYZW"`, "identifier is"},
		{`"factor": 0.01`, `"unit": "kW"`, "expected one of the channel's"}, {`"every_s": 0.05`, `"every_s": 0.001`,
			"every_s is 0.001"},
		{"zincroad-profile/1", "other/9", "format is"}, {`"name"`, `"nome"`, "unknown field"},
	} {
		_, err := profile.Parse([]byte(strings.Replace(tiny, tt.change, tt.to, 1)))
		assert.ErrorContains(t, err, tt.says)
	}
}
