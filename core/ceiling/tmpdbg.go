package ceiling

import (
	"fmt"
	"os"
	"sort"
)

func dbg(l *Log, s *span) {
	if os.Getenv("DBG") == "" {
		return
	}
	for i, f := range s.pieces {
		type e struct {
			c Cause
			o float64
		}
		var list []e
		for c, o := range s.odds[i] {
			list = append(list, e{causes[c], o})
		}
		sort.Slice(list, func(a, b int) bool { return list[a].o > list[b].o })
		fmt.Printf("  piece %.0f-%.0f n %d kW %.1f-%.1f fall %.3f share %.3f-%.3f taper %.3f-%.3f cold %.1f-%.1f warm %.1f-%.1f asked %.3f shape %.2f | ", f.fromS, f.toS, f.b-f.a, f.line[0], f.line[1], f.fall,
			f.shareEnd[0], f.shareEnd[1], f.taperEnd[0], f.taperEnd[1], f.coldest0, f.coldest1, f.warmest0, f.warmest1, f.asked, f.shape)
		for _, x := range list[:4] {
			fmt.Printf("%s %.3f, ", x.c, x.o)
		}
		fmt.Println()
	}
}
