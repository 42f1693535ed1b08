package demo

import (
	"bytes"
	"fmt"
	"math"
	"strings"

	"zincroad/core/trace"
	"zincroad/formats/csvlog"
)

// Samples gives the files of docs/samples by name: one for each way of bringing a
// run in. The spreadsheet holds the same readings as the CSV.
func Samples() (map[string][]byte, error) {
	e := entries[1]
	e.session.carEveryS, e.session.seed, e.session.approachMin = 6, 40, 0
	r := e.run()
	car := r.Recordings[0]

	folder := entries[10].run()
	z, err := Zip(folder)
	if err != nil {
		return nil, err
	}
	var own bytes.Buffer
	if err := csvlog.Write(&own, car); err != nil {
		return nil, err
	}
	return map[string][]byte{
		"run-folder.zip":   z,
		"zincroad.csv":     own.Bytes(),
		"spreadsheet.csv":  []byte(spreadsheet(car)),
		"screen-notes.txt": []byte(typedNotes),
	}, nil
}

// spreadsheet writes a recording the way a spreadsheet of another country does: a
// byte-order mark, semicolons, decimal commas, minutes and seconds, watts, degrees
// Fahrenheit, and amps below zero while charging.
func spreadsheet(rec *trace.Recording) string {
	var b strings.Builder
	b.WriteString(
		"\ufeffTime;Battery SOC (%);Charging power [W];Pack voltage (V);Pack current (A);Coldest cell (°F)\r\n",
	)
	comma := func(v float64, d int) string {
		return strings.Replace(fmt.Sprintf("%.*f", d, v), ".", ",", 1)
	}
	for i, t := range rec.T {
		volts, amps := rec.Columns[trace.Voltage][i], rec.Columns[trace.Current][i]
		fmt.Fprintf(
			&b,
			"%d:%02d;%s;%s;%s;%s;%s\r\n",
			int(t)/60,
			int(t)%60,
			comma(rec.Columns[trace.SoC][i], 1),
			comma(math.Round(volts*amps*10)/10, 1),
			comma(volts, 1),
			comma(-amps, 1),
			comma(rec.Columns[trace.BatteryTempMin][i]*1.8+32, 1),
		)
	}
	return b.String()
}
