package csvlog

import (
	_ "embed"
	"encoding/csv"
	"regexp"
	"strings"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"

	"zincroad/core/trace"
	"zincroad/core/units"
)

//go:embed words.csv
var wordList string

// meaning is an English word and what stands for it elsewhere.
type meaning struct {
	english string
	words   []string
}

// meanings are in the order in which the English words are put together, so that what narrows
// a quantity stands before it: "request power", "min temp".
var meanings = func() []meaning {
	r := csv.NewReader(strings.NewReader(wordList))
	r.Comment = '#'
	rows, err := r.ReadAll()
	if err != nil {
		panic("words.csv: " + err.Error()) // it is embedded: a test reads it
	}
	var out []meaning
	for _, row := range rows {
		words := strings.Split(row[2], "|")
		if n := len(out); n > 0 && out[n-1].english == row[0] {
			out[n-1].words = append(out[n-1].words, words...)
			continue
		}
		out = append(out, meaning{row[0], words})
	}
	return out
}()

// plain writes a header in small letters without accents, its words apart by one space.
func plain(header string) string {
	fold := transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC)
	s, _, err := transform.String(fold, strings.ToLower(header))
	if err != nil {
		s = strings.ToLower(header)
	}
	s = strings.NewReplacer("ß", "ss", "ø", "o", "æ", "ae", "œ", "oe", "ł", "l", "đ", "d").Replace(s)
	return strings.Join(strings.FieldsFunc(s, func(r rune) bool {
		return unicode.IsSpace(r) || strings.ContainsRune("_-./:,", r)
	}), " ")
}

// longWord is from how many letters on a word counts anywhere in a header.
const longWord = 4

// means tells whether a plain header holds a word of a meaning.
func (m meaning) means(text string) bool {
	for _, w := range m.words {
		if len(w) >= longWord && strings.Contains(text, w) || text == w || strings.Contains(" "+text+" ", " "+w+" ") {
			return true
		}
	}
	return false
}

// saying gives the meaning of an English word.
func saying(english string) meaning {
	for _, m := range meanings {
		if m.english == english {
			return m
		}
	}
	return meaning{}
}

// not of a quantity: they say where a column belongs in a table of another shape.
var shapeWords = map[string]bool{"time": true, "date": true, "name": true, "value": true, "unit": true, "stall": true,
	"car": true}

// inEnglish adds to a header, in small letters, the English words for what it says.
func inEnglish(header string) string {
	text := plain(header)
	out := strings.ToLower(header)
	for _, m := range meanings {
		if !shapeWords[m.english] && m.means(text) {
			out += " " + m.english
		}
	}
	return out
}

// rule names a channel by what its header says.
type rule struct {
	channel trace.Channel
	match   *regexp.Regexp
}

// rules are tried in order, and the first that fits names the column: "requested amps"
// before amps, "heater kW" before kW. The words are the channels' own.
var rules = func() []rule {
	var out []rule
	for _, c := range []trace.Channel{
		trace.RequestedAmps,
		trace.RequestedPower,
		trace.SoC,
		trace.HeaterPower,
		trace.AuxPower,
		trace.BatteryTempMin,
		trace.BatteryTempMax,
		trace.InletTemp,
		trace.AmbientTemp,
		trace.BatteryTemp,
		trace.Cost,
		trace.Energy,
		trace.Power,
		trace.Voltage,
		trace.Current,
	} {
		in, _ := trace.Describe(c)
		out = append(out, rule{c, regexp.MustCompile(in.Header)})
	}
	return out
}()

var (
	timeHeader = regexp.MustCompile(
		`^(t|t_s|ts|time|timestamp|mm:ss|hh:mm|hh:mm:ss|h:mm:ss|date ?time|date and time|date/time|elapsed.*|clock.*|time .*|.* time` +
			`|seconds|secs?|s|minutes|mins?|min|duration|timestamp.*|epoch.*)$`,
	)
	bracketed = regexp.MustCompile(`[\[(]([^\])]*)[\])]`)
)

// bareOf is a header in small letters without what stands in brackets, its words apart by one
// space; where there is nothing else, what stands in brackets.
func bareOf(header string) string {
	name := strings.ToLower(header)
	bare := strings.TrimSpace(bracketed.ReplaceAllString(name, " "))
	if bare == "" {
		bare = strings.Trim(name, "[]() ")
	}
	return strings.Join(
		strings.FieldsFunc(bare, func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' }),
		" ",
	)
}

// longestHeader is how long the name of a column may be, in bytes.
const longestHeader = 200

// channelOf names what a header says, by the own names first, then by the words of the channels
// and those of other languages; empty for one that says nothing known.
func channelOf(header string) trace.Channel {
	if in, ok := trace.Describe(trace.Channel(header)); ok {
		return in.Channel
	}
	if len(header) > longestHeader || !strings.ContainsFunc(header, unicode.IsLetter) {
		return ""
	}
	bare := bareOf(header)
	if isDate(header) {
		return DateColumn
	}
	if timeHeader.MatchString(bare) || isTime(bare) || strings.ToLower(header) == "t_s" {
		return TimeColumn
	}
	english := inEnglish(header)
	bareEnglish := inEnglish(bare)
	told := unitTold(header)
	if told == "" && temperatureLast(header) || isTemperature(told) {
		english, bareEnglish = english+" temp", bareEnglish+" temp"
	}
	for _, r := range rules {
		if !r.match.MatchString(bareEnglish) && !r.match.MatchString(english) {
			continue
		}
		in, _ := trace.Describe(r.channel)
		switch {
		case fits(told, in) && !(narrow[r.channel] && ofAnother(bareEnglish, in)):
			return r.channel
		case narrow[r.channel]:
			return "" // the heater's amps are not the pack's
		}
	}
	return ""
}

// narrow are the channels whose words say of what a quantity is: another quantity of the same is no channel.
var narrow = map[trace.Channel]bool{trace.RequestedAmps: true, trace.RequestedPower: true, trace.HeaterPower: true,
	trace.AuxPower: true, trace.Cost: true}

// unitTold gives the unit that a header names for sure, of whatever quantity: in brackets, or as a last word of two
// letters and more. Empty where it names none.
func unitTold(header string) string {
	for _, m := range bracketed.FindAllStringSubmatch(header, -1) {
		if u, ok := units.Written(m[1]); ok {
			return u
		}
	}
	if last := lastWord(header); len([]rune(last)) > 1 {
		u, _ := units.Written(last)
		return u
	}
	return ""
}

// temperatureLast tells whether a header ends with a letter for degrees: Battery max F.
func temperatureLast(header string) bool {
	u, _ := units.Written(lastWord(header))
	return isTemperature(u)
}

func isTemperature(unit string) bool {
	_, ok := units.Find(units.Temperature, unit)
	return ok
}

// lastWord is a header's last word, empty where it has no other.
func lastWord(header string) string {
	words := strings.FieldsFunc(header, func(r rune) bool { return strings.ContainsRune(" _-,/.:", r) })
	if len(words) < 2 {
		return ""
	}
	return words[len(words)-1]
}

// fits tells whether a unit, empty for none, can be that of a channel.
func fits(unit string, in trace.Info) bool {
	_, ok := units.Find(in.Units, unit)
	return ok || unit == ""
}

// quantities are the words that say which quantity a column is of, and its units.
var quantities = []struct {
	words *regexp.Regexp
	units []units.Unit
}{
	{regexp.MustCompile(`volt`), units.Voltage},
	{regexp.MustCompile(`current|\bamp`), units.Current},
	{regexp.MustCompile(`power|\bkw\b|\bwatt`), units.Power},
	{regexp.MustCompile(`temp\b|temperature`), units.Temperature},
}

// ofAnother tells whether a header names a quantity, and not the channel's own.
func ofAnother(english string, in trace.Info) bool {
	another := false
	for _, q := range quantities {
		if !q.words.MatchString(english) {
			continue
		}
		if q.units[0] == in.Units[0] {
			return false
		}
		another = true
	}
	return another
}

// unitBelow takes the unit that a column names beside its header, in a row of units or of its own; one of another
// quantity shows that the column is not what its name seemed to say.
func (c *Column) unitBelow(text string) (isUnit bool) {
	in, ok := trace.Describe(c.Channel)
	if !ok {
		return false
	}
	if u := unitNamed(text, in); u != "" {
		if c.Unit == "" {
			c.Unit = u
		}
		return true
	}
	if u, known := units.Written(text); known && !fits(u, in) {
		c.Channel, c.Unit, c.Side = "", "", ""
		return true
	}
	return false
}

// isTime tells whether a header begins or ends with a word for time.
func isTime(bare string) bool {
	words := strings.Fields(plain(bare))
	for _, w := range saying("time").words {
		n := len(strings.Fields(w))
		if len(words) >= n &&
			(strings.Join(words[:n], " ") == w || len(words) <= 3 && strings.Join(words[len(words)-n:], " ") == w) {
			return true
		}
	}
	return false
}

// isDate tells whether a header is a word for a date and nothing else.
func isDate(header string) bool {
	text := plain(bareOf(header))
	for _, w := range saying("date").words {
		if text == w {
			return true
		}
	}
	return false
}

// unitOf gives the unit that a header names: in brackets, else as its last word, or its first;
// empty where it names none.
func unitOf(header string, in trace.Info) string {
	for _, m := range bracketed.FindAllStringSubmatch(header, -1) {
		if u := unitNamed(m[1], in); u != "" {
			return u
		}
	}
	return unitNamed(lastWord(header), in)
}

// unitNamed gives the unit of a channel that a word writes, empty for another word.
func unitNamed(word string, in trace.Info) string {
	name, _ := units.Written(word)
	if word = strings.TrimSpace(word); word == "mW" || word == "MW" {
		name = "MW"
	}
	if _, ok := units.Find(in.Units, name); ok {
		return name
	}
	return ""
}

// sideOf says whose reading a header says it is; empty where it does not.
func sideOf(header string) trace.Side {
	text := plain(header)
	switch {
	case saying("stall").means(text):
		return trace.StallSide
	case saying("car").means(text):
		return trace.CarSide
	}
	return ""
}
