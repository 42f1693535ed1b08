package standin

import (
	"bufio"
	"context"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net"
	"regexp"
	"strconv"
	"strings"
	"time"

	"zincroad/core/trace"
	"zincroad/formats/profile"
)

// Adapter is a diagnostic adapter in the car's port, on TCP: the common serial
// dialect of AT commands and hexadecimal requests, a prompt after each answer.
type Adapter struct {
	World   *World
	Profile *profile.Profile
	Log     *slog.Logger
}

// Serve answers on a listener until the context ends. Several may be connected.
func (a *Adapter) Serve(ctx context.Context, l net.Listener) error {
	stop := context.AfterFunc(ctx, func() { l.Close() })
	defer stop()
	for {
		c, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil {
				return nil
			}
			return fmt.Errorf("adapter: %w", err)
		}
		if a.dropped() {
			c.Close()
			continue
		}
		go a.talk(ctx, c)
	}
}

func (a *Adapter) dropped() bool {
	_, on := a.World.fault(AdapterDropped, a.World.Now().ClockS)
	return on
}

// line is one connection's settings.
type line struct {
	a                            *Adapter
	out                          *bufio.Writer
	echo, feeds, spaces, headers bool
	flow                         bool   // frames of flow control are sent, so that long answers come whole
	header                       string // CAN identifier asked
	searched                     bool
	typed                        chan string // commands as they come in; closed when the connection is
}

// talk answers one connection, command by command, until it is hung up.
func (a *Adapter) talk(ctx context.Context, c net.Conn) {
	defer c.Close()
	stop := context.AfterFunc(ctx, func() { c.Close() })
	defer stop()
	s := &line{a: a, out: bufio.NewWriter(c), typed: make(chan string)}
	s.reset()
	gone := make(chan struct{})
	defer close(gone)
	go s.listen(c, gone)
	for command := range s.typed {
		if a.dropped() {
			return
		}
		if s.echo {
			s.out.WriteString(strings.TrimRight(command, "\r\n") + "\r")
		}
		s.answer(ctx, strings.ToUpper(strings.Join(strings.Fields(command), "")))
		s.end()
		s.out.WriteString(">")
		if s.out.Flush() != nil {
			return
		}
	}
}

// listen gives on what is typed, until the connection or its talk ends.
func (s *line) listen(c net.Conn, gone <-chan struct{}) {
	defer close(s.typed)
	in := bufio.NewReader(c)
	for {
		_ = c.SetReadDeadline(time.Now().Add(10 * time.Minute))
		command, err := in.ReadString('\r')
		if err != nil {
			return
		}
		select {
		case s.typed <- command:
		case <-gone:
			return
		}
	}
}

// reset is how an adapter comes up: it echoes, and puts spaces between bytes.
func (s *line) reset() {
	s.echo, s.feeds, s.spaces, s.headers, s.flow, s.header, s.searched = true, false, true, false, true, "7DF", false
}

func (s *line) end() {
	s.out.WriteString("\r")
	if s.feeds {
		s.out.WriteString("\n")
	}
}

func (s *line) say(text string) {
	s.out.WriteString(text)
	s.end()
}

func (s *line) answer(ctx context.Context, command string) {
	at, isAT := strings.CutPrefix(command, "AT")
	switch {
	case command == "":
	case isAT:
		s.at(at)
	case len(command)%2 == 0 && hexOnly(command):
		s.request(ctx, command)
	default:
		s.say("?")
	}
}

func hexOnly(s string) bool {
	_, err := hex.DecodeString(s)
	return err == nil
}

// at carries an adapter's own command out.
func (s *line) at(c string) {
	if said, ok := facts[c]; ok {
		s.say(said)
		return
	}
	setting := strings.TrimRight(c, "01")
	switch {
	case c == "Z" || c == "WS":
		s.reset()
		s.say("\r" + device)
		return
	case c == "D":
		s.reset()
	case s.setting(setting) != nil && len(c) == len(setting)+1:
		*s.setting(setting) = strings.HasSuffix(c, "1")
	case strings.HasPrefix(c, "SH") && len(c) == 5 && hexOnly("0"+c[2:]):
		s.header = c[2:]
	case ignored.MatchString(c):
	default:
		s.say("?")
		return
	}
	s.say("OK")
}

// device is what the stand-in calls itself.
const device = "diagnostic adapter stand-in 1"

// facts are what it says of itself and the car's network.
var facts = map[string]string{"I": device, "RV": "12.6V", "DP": "ISO 15765-4 (CAN 11/500)"}

// ignored are the commands that change nothing that anybody sees here: timing, protocol,
// filters.
var ignored = regexp.MustCompile(`^(AT[012]|ST.*|SP.*|CRA.*|FC.*|CAF1|AL|M0)$`)

// setting is what a command with 0 or 1 behind it switches; nil for none.
func (s *line) setting(name string) *bool {
	switch name {
	case "E":
		return &s.echo
	case "L":
		return &s.feeds
	case "S":
		return &s.spaces
	case "H":
		return &s.headers
	case "CFC":
		return &s.flow
	}
	return nil
}

// request puts a message on the car's bus and writes what comes back.
func (s *line) request(ctx context.Context, command string) {
	message, _ := hex.DecodeString(command)
	if !s.searched {
		s.searched = true
		s.say("SEARCHING...")
	}
	now := s.a.World.Now().ClockS
	if f, late := s.a.World.fault(LateReadings, now); late && !s.wait(ctx, orElse(f.By, 4)) {
		s.say("STOPPED")
		return
	}
	if _, broken := s.a.World.fault(BusTrouble, now); broken {
		s.say("CAN ERROR")
		return
	}
	answers := s.a.units(s.header, message)
	if len(answers) == 0 {
		s.say("NO DATA")
		return
	}
	for _, u := range answers {
		s.write(u)
	}
}

// wait lets simulated seconds pass; false when something was typed meanwhile, which
// makes an adapter give up what it was asked. What was typed is lost.
func (s *line) wait(ctx context.Context, simulatedS float64) bool {
	over := make(chan struct{})
	go func() { defer close(over); s.a.World.Wait(ctx, simulatedS) }()
	select {
	case <-over:
		return true
	case <-s.typed:
		return false
	}
}

// unit is a control unit's answer.
type unit struct {
	id      string
	message []byte
}

// units are the answers of the control units that feel addressed. The services are
// those of ISO 14229: 0x22 ReadDataByIdentifier, answered by 0x62, the identifier
// and its data; 0x3E TesterPresent; anything else is refused with 0x7F and a code.
func (a *Adapter) units(to string, m []byte) []unit {
	response := ""
	for _, c := range a.Profile.Channels {
		if strings.EqualFold(c.Request, to) {
			response = strings.ToUpper(c.Response)
		}
	}
	if response == "" || len(m) == 0 {
		return nil
	}
	refuse := func(code byte) []unit { return []unit{{response, []byte{0x7F, m[0], code}}} }
	switch {
	case m[0] == 0x3E && len(m) >= 2:
		return []unit{{response, []byte{0x7E, m[1]}}}
	case m[0] != 0x22:
		return refuse(0x11) // service not supported
	case len(m) != 3:
		return refuse(0x13) // incorrect length
	}
	data := a.data(to, fmt.Sprintf("%02X%02X", m[1], m[2]))
	if data == nil {
		return refuse(0x31) // request out of range
	}
	return []unit{{response, append([]byte{0x62, m[1], m[2]}, data...)}}
}

// data is what an identifier of a control unit holds now; nil where it has none.
func (a *Adapter) data(request, identifier string) []byte {
	s := a.World.CarValues()
	n := s.Battery.Ordered()
	values := map[trace.Channel]float64{
		trace.SoC:            s.SoCPct,
		trace.Voltage:        s.PackV,
		trace.Current:        s.Amps,
		trace.Power:          s.PackKW,
		trace.BatteryTemp:    n.MeanC(),
		trace.BatteryTempMin: n.ColdestC,
		trace.BatteryTempMax: n.WarmestC,
		trace.InletTemp:      s.InletC,
		trace.HeaterPower:    s.HeaterKW,
		trace.AuxPower:       s.AuxKW,
		trace.AmbientTemp:    a.World.sc.AmbientC,
	}
	var data []byte
	for i := range a.Profile.Channels {
		c := &a.Profile.Channels[i]
		if !strings.EqualFold(c.Request, request) || !strings.EqualFold(c.Identifier, identifier) {
			continue
		}
		for len(data) < c.Start+c.Length {
			data = append(data, 0)
		}
		c.Write(data, values[c.Channel])
	}
	return data
}

// write shows an answer as adapters do: with headers every frame with its
// identifier, without them the message, a long one as its length and numbered
// lines.
func (s *line) write(u unit) {
	frames := Frames(u.message)
	if !s.flow {
		frames = frames[:1] // without flow control the control unit waits after its first frame
	}
	switch {
	case s.headers:
		for _, f := range frames {
			s.say(s.hex(u.id, f))
		}
	case len(frames) == 1:
		s.say(s.hex("", u.message))
	default:
		s.say(strings.ToUpper(strconv.FormatInt(0x1000+int64(len(u.message)), 16))[1:])
		for i, f := range frames {
			skip := 1
			if i == 0 {
				skip = 2
			}
			s.say(fmt.Sprintf("%X: %s", i&0x0F, s.hex("", f[skip:])))
		}
	}
}

func (s *line) hex(id string, b []byte) string {
	var parts []string
	if id != "" {
		parts = append(parts, id)
	}
	for _, x := range b {
		parts = append(parts, fmt.Sprintf("%02X", x))
	}
	if s.spaces {
		return strings.Join(parts, " ") + " "
	}
	return strings.Join(parts, "")
}
