package stall

import (
	"zincroad/core/limit"
	"zincroad/core/say"
)

// Format is the name and version of the open format of a fit.
const Format = "zincroad-fit/1"

// Document is a fit as its open format writes it.
type Document struct {
	Format string       `json:"format"`
	Fits   bool         `json:"fits"`
	Reason say.Text     `json:"reason"`
	At     []documentAt `json:"at"`
}

type documentAt struct {
	SoCPct   float64           `json:"soc_pct"`
	PackV    float64           `json:"pack_v"`
	Ceilings []documentCeiling `json:"ceilings"`
}

type documentCeiling struct {
	Cause limit.Cause `json:"cause"`
	KW    float64     `json:"kw"`
}

// Document gives the fit in its open format.
func (f *Fit) Document() Document {
	d := Document{Format: Format, Fits: f.Fits, Reason: f.Reason, At: []documentAt{}}
	for _, a := range f.At {
		at := documentAt{SoCPct: a.SoCPct, PackV: a.PackV, Ceilings: []documentCeiling{}}
		for _, c := range a.Ceilings {
			at.Ceilings = append(at.Ceilings, documentCeiling(c))
		}
		d.At = append(d.At, at)
	}
	return d
}
