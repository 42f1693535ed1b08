package sheet

import (
	"fmt"
	"io"
	"math"

	"github.com/xuri/excelize/v2"
)

// Page is one page of a workbook to be written: rows of texts, numbers (float64, *float64, int) and nil for
// empty cells. The first row heads the columns.
type Page struct {
	Name string
	Rows [][]any
}

// Write writes a workbook (XLSX). A text is a text, whatever it begins with: none becomes a formula. What is
// no number (NaN, an infinity) stays empty.
func Write(w io.Writer, pages []Page) error {
	f := excelize.NewFile()
	defer f.Close()
	head, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return fmt.Errorf("a workbook's style: %w", err)
	}
	for i, p := range pages {
		if i == 0 {
			err = f.SetSheetName(f.GetSheetName(0), p.Name)
		} else {
			_, err = f.NewSheet(p.Name)
		}
		if err != nil {
			return fmt.Errorf("page %q: %w", p.Name, err)
		}
		out, err := f.NewStreamWriter(p.Name)
		if err != nil {
			return fmt.Errorf("page %q: %w", p.Name, err)
		}
		for r, row := range p.Rows {
			cells := make([]any, len(row))
			for c, v := range row {
				cells[c] = written(v)
				if r == 0 {
					cells[c] = excelize.Cell{StyleID: head, Value: cells[c]}
				}
			}
			at, err := excelize.CoordinatesToCellName(1, r+1)
			if err == nil {
				err = out.SetRow(at, cells)
			}
			if err != nil {
				return fmt.Errorf("page %q, row %d: %w", p.Name, r+1, err)
			}
		}
		if err := out.Flush(); err != nil {
			return fmt.Errorf("page %q: %w", p.Name, err)
		}
	}
	if err := f.Write(w); err != nil {
		return fmt.Errorf("writing the workbook: %w", err)
	}
	return nil
}

// written is a value as a cell has it.
func written(v any) any {
	switch x := v.(type) {
	case *float64:
		if x == nil {
			return nil
		}
		return written(*x)
	case float64:
		if math.IsNaN(x) || math.IsInf(x, 0) {
			return nil
		}
	}
	return v
}
