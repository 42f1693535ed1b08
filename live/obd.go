package live

import (
	"bufio"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"zincroad/core/trace"
	"zincroad/formats/profile"
)

// What an adapter may say instead of an answer.
var (
	ErrNoData    = errors.New("the car does not answer")
	ErrAdapter   = errors.New("the adapter complains")
	ErrRefused   = errors.New("the car refuses")
	ErrNotSilent = errors.New("the adapter's answer does not end")
)

// obd is a connection to a diagnostic adapter that speaks the common serial
// dialect: a command, its answer in lines, a prompt. It takes split lines, echoes,
// answers without spaces and those of several control units at once.
type obd struct {
	conn   net.Conn
	in     *bufio.Reader
	header string
	wait   time.Duration // for an answer
}

// answerWait is how long an answer may take, longestAnswer how large it may be.
const (
	dialWait      = 5 * time.Second
	answerWait    = 6 * time.Second
	longestAnswer = 64 << 10
)

// dialOBD connects to an adapter and sets it up.
func dialOBD(ctx context.Context, reach *Reach, address string) (*obd, error) {
	c, err := reach.connect(ctx, address)
	if err != nil {
		return nil, err
	}
	o := &obd{conn: c, in: bufio.NewReader(c), wait: answerWait}
	// Reset, no echo, no line feeds, spaces as they come, headers on, protocol found
	// by itself, adaptive timing. An adapter that does not know one says "?".
	for _, command := range []string{"ATZ", "ATE0", "ATL0", "ATH1", "ATSP0", "ATAT1"} {
		if _, err := o.command(command); err != nil {
			c.Close()
			return nil, fmt.Errorf("setting the adapter up with %s: %w", command, err)
		}
	}
	return o, nil
}

// Close hangs up; what is being read then fails.
func (o *obd) Close() error { return o.conn.Close() }

// command sends a line and gives the lines up to the prompt, without the echo.
func (o *obd) command(c string) ([]string, error) {
	if err := o.conn.SetDeadline(time.Now().Add(o.wait)); err != nil {
		return nil, err
	}
	if _, err := o.conn.Write([]byte(c + "\r")); err != nil {
		return nil, fmt.Errorf("sending: %w", err)
	}
	var text strings.Builder
	for {
		b, err := o.in.ReadByte()
		if err != nil {
			return nil, fmt.Errorf("waiting for the prompt: %w", err)
		}
		if b == '>' {
			break
		}
		if b != 0 { // some adapters send zeros
			text.WriteByte(b)
		}
		if text.Len() > longestAnswer {
			return nil, ErrNotSilent
		}
	}
	var lines []string
	for _, l := range strings.FieldsFunc(text.String(), func(r rune) bool { return r == '\r' || r == '\n' }) {
		if l = strings.TrimSpace(l); l != "" && !strings.EqualFold(strings.ReplaceAll(l, " ", ""), c) {
			lines = append(lines, l)
		}
	}
	return lines, nil
}

// read asks a control unit for an identifier and gives its data. What other units
// say in between is left aside.
func (o *obd) read(request, response, identifier string) ([]byte, error) {
	if o.header != request {
		if _, err := o.command("ATSH" + request); err != nil {
			return nil, err
		}
		o.header = request
	}
	lines, err := o.command("22" + identifier)
	if err != nil {
		return nil, err
	}
	return answerOf(lines, response, identifier)
}

// answerOf finds the answer of one control unit among the lines.
func answerOf(lines []string, response, identifier string) ([]byte, error) {
	var a assembly
	var broken error
	for _, l := range lines {
		id, frame, ok := canFrame(l)
		if !ok {
			if err := complaint(l); err != nil {
				return nil, err
			}
			continue // SEARCHING..., or rubbish
		}
		if !strings.EqualFold(id, response) {
			continue
		}
		m, err := a.add(frame)
		if err != nil {
			broken = err
			continue
		}
		if len(m) == 0 {
			continue
		}
		if m[0] == 0x7F && len(m) >= 3 {
			if m[2] == 0x78 { // not yet: the answer follows
				continue
			}
			return nil, fmt.Errorf("%w identifier %s with code %02X", ErrRefused, identifier, m[2])
		}
		if m[0] == 0x62 && len(m) >= 3 && strings.EqualFold(hex.EncodeToString(m[1:3]), identifier) {
			return m[3:], nil
		}
	}
	if broken != nil {
		return nil, broken
	}
	return nil, fmt.Errorf("%w identifier %s", ErrNoData, identifier)
}

// canFrame reads a line such as "7EC 03 62 D0 10", with or without spaces.
func canFrame(l string) (id string, frame []byte, ok bool) {
	l = strings.ReplaceAll(l, " ", "")
	if len(l) < 5 || len(l) > 3+16 || len(l)%2 == 0 {
		return "", nil, false
	}
	if _, err := hex.DecodeString("0" + l[:3]); err != nil {
		return "", nil, false
	}
	frame, err := hex.DecodeString(l[3:])
	return l[:3], frame, err == nil
}

// complaint is what an adapter says when something is wrong.
func complaint(l string) error {
	up := strings.ToUpper(l)
	for _, c := range []string{"NO DATA", "STOPPED", "CAN ERROR", "BUS ERROR", "BUS INIT", "UNABLE TO CONNECT",
		"BUFFER FULL", "DATA ERROR", "ERR"} {
		if strings.HasPrefix(up, c) {
			if c == "NO DATA" {
				return ErrNoData
			}
			return fmt.Errorf("%w: %s", ErrAdapter, up)
		}
	}
	if up == "?" {
		return fmt.Errorf("%w: it does not know the command", ErrAdapter)
	}
	return nil
}

// group is the channels that one request answers.
type group struct {
	request, response, identifier string
	channels                      []profile.Channel
	every                         time.Duration
	due                           time.Time
	failed                        int
}

// groupsOf puts the channels of a profile together by request, the most frequent
// deciding how often it is asked; speed times as often as the profile says.
func groupsOf(p *profile.Profile, speed float64) []*group {
	var out []*group
	for _, c := range p.Channels {
		var g *group
		for _, have := range out {
			if have.request == c.Request && have.response == c.Response && have.identifier == c.Identifier {
				g = have
			}
		}
		every := time.Duration(c.EveryS / speed * float64(time.Second))
		if g == nil {
			g = &group{request: c.Request, response: c.Response, identifier: c.Identifier, every: every}
			out = append(out, g)
		}
		g.channels, g.every = append(g.channels, c), min(g.every, every)
	}
	return out
}

// patience is how often a request may fail before it is asked only once a minute.
const patience = 5

// poll asks what is due and gives what was read. A request that the car refuses is not asked for a while; a
// lost connection is an
// error.
func (o *obd) poll(groups []*group) (map[trace.Channel]float64, error) {
	values := map[trace.Channel]float64{}
	for _, g := range groups {
		if t := time.Now(); t.Before(g.due) {
			continue
		} else {
			g.due = t.Add(g.every)
		}
		data, err := o.read(g.request, g.response, g.identifier)
		switch {
		case errors.Is(err, ErrRefused),
			errors.Is(err, ErrNoData),
			errors.Is(err, ErrAdapter),
			errors.Is(err, ErrFrame),
			errors.Is(err, ErrSequence):
			if g.failed++; g.failed >= patience {
				g.due = time.Now().Add(time.Minute)
			}
			continue
		case err != nil:
			return values, err
		}
		g.failed = 0
		for i := range g.channels {
			if v, ok := g.channels[i].Read(data); ok {
				values[g.channels[i].Channel] = v
			}
		}
	}
	return values, nil
}
