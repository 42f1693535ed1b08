package runs

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"

	"zincroad/core/curve"
	"zincroad/core/stall"
	"zincroad/core/words"
	"zincroad/web/chart"
	"zincroad/web/ui"
)

// costRow is what a run would have cost at one stall.
type costRow struct {
	Name     string
	Here     bool // where it was made
	First    bool // of its currency: prices in several are no one list
	Bill     *stall.Bill
	Member   *stall.Bill // with the stall's membership, its fee apart; nil: it has none
	PaysFrom string      // the kWh a month from which that pays
	Dear     string      // from when on the rest grew dear; empty: it did not
}

type costsView struct {
	Rows []costRow
	Why  string // why there is nothing to show
	Back string
}

// costs says what a run would have cost at every stall that has a tariff.
func (s *Room) costs(w http.ResponseWriter, r *http.Request) error {
	row, res, err := s.loadRun(r)
	if err != nil {
		return err
	}
	x := res.Reading(chart.ReadQuery(r.URL.Query()).Clock, "")
	described, err := s.book.Load(r.Context(), row)
	if err != nil {
		return err
	}
	sites, err := s.book.Sites(r.Context())
	if err != nil {
		return err
	}
	v := costsView{Back: ui.RunPath(row.ID)}
	use, ok := curve.Of(described).Use()
	if !ok {
		v.Why = "The stall's power was not read: what the car measures is not what is billed."
	}
	for _, site := range sites {
		for _, st := range site.Stalls {
			b := stall.BillOf(st.Tariff, use)
			if b == nil || !ok {
				continue
			}
			c := costRow{Name: site.Name + ", stall " + st.Name, Here: row.StallID != nil && *row.StallID == st.ID, Bill: b}
			if member, has := stall.WithMembership(st.Tariff); has {
				c.Member = stall.BillOf(member, use)
				if kwh, known := stall.BreakEvenKWh(st.Tariff.Membership); known {
					c.PaysFrom = words.Figure(kwh, 0) + " kWh a month"
				}
			}
			if at, perKWh, dear := stall.Dearest(st.Tariff, use); dear {
				c.Dear = fmt.Sprintf("from %s on a kWh cost %s", words.Clock(at-x.ZeroS), words.Fixed(perKWh, 2))
			}
			v.Rows = append(v.Rows, c)
		}
	}
	v.sort()
	s.Render(w, r, "costs", http.StatusOK, ui.Frame{Title: "Money elsewhere", Run: row, Data: v})
	return nil
}

// sort puts the bills of each currency in order, those of the run's own stall first.
func (v *costsView) sort() {
	own := ""
	for _, r := range v.Rows {
		if r.Here {
			own = r.Bill.Currency
		}
	}
	slices.SortStableFunc(v.Rows, func(a, b costRow) int {
		if a.Bill.Currency != b.Bill.Currency {
			switch own {
			case a.Bill.Currency:
				return -1
			case b.Bill.Currency:
				return 1
			}
			return cmp.Compare(a.Bill.Currency, b.Bill.Currency)
		}
		return cmp.Compare(a.Bill.Total, b.Bill.Total)
	})
	for i := range v.Rows {
		v.Rows[i].First = i > 0 && v.Rows[i].Bill.Currency != v.Rows[i-1].Bill.Currency
	}
}
