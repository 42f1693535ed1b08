package decide

import (
	"zincroad/core/forecast"
	"zincroad/core/say"
)

// WhatIf is one charge under two settings.
type WhatIf struct {
	One, Other *forecast.Forecast
	ToPct      [2]float64
}

// Compare works both settings out. It fails where either cannot be foretold at all.
func Compare(one, other forecast.Plan, u forecast.Uncertainty) (*WhatIf, error) {
	w := &WhatIf{ToPct: [2]float64{one.ToPct, other.ToPct}}
	var err error
	if w.One, err = forecast.Of(one, u); err != nil {
		return nil, err
	}
	if w.Other, err = forecast.Of(other, u); err != nil {
		return nil, err
	}
	return w, nil
}

// Said is the difference in a sentence, with both ranges; where one does not come to its end, why.
func (w *WhatIf) Said() say.Text {
	a, ok1 := w.One.Post(w.ToPct[0])
	b, ok2 := w.Other.Post(w.ToPct[1])
	switch {
	case !ok1:
		return say.T("decide.not-reached-one", w.One.Note)
	case !ok2:
		return say.T("decide.not-reached-other", w.Other.Note)
	}
	first, second := Between(a.TS, a.LowS, a.HighS), Between(b.TS, b.LowS, b.HighS)
	d := b.TS - a.TS
	switch {
	case same(a.TS, b.TS):
		return say.T("decide.as-long", first, second)
	case d > 0:
		return say.T("decide.longer", first, second, apart(d))
	}
	return say.T("decide.shorter", first, second, apart(-d))
}
