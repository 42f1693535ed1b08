package sheet

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
)

// open are the cells of a sheet that hold a formula and no value of it: columns from 0, by row.
type open map[int][]int

// openFormulas lists them for each sheet, by its name (ECMA-376 part 1, 18.3.1.4 and 18.3.1.40, from memory).
func openFormulas(z *zip.Reader) (map[string]open, error) {
	parts, err := sheetParts(z)
	if err != nil {
		return nil, err
	}
	out := map[string]open{}
	for name, part := range parts {
		if any, err := mentions(z, part, "<f"); err != nil || !any {
			continue // a chart, a part that the workbook only names, or a sheet without formulas
		}
		f, err := z.Open(part)
		if err != nil {
			return nil, err
		}
		out[name], err = withoutValue(f)
		_ = f.Close()
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// mentions tells whether a text stands in a part.
func mentions(z *zip.Reader, part, text string) (bool, error) {
	f, err := z.Open(part)
	if err != nil {
		return false, err
	}
	defer f.Close()
	buffer := make([]byte, 1<<16)
	kept := 0
	for {
		n, err := f.Read(buffer[kept:])
		if bytes.Contains(buffer[:kept+n], []byte(text)) {
			return true, nil
		}
		if errors.Is(err, io.EOF) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		end := kept + n
		kept = copy(buffer, buffer[max(0, end-len(text)+1):end])
	}
}

// sheetParts gives the part of the file that holds each sheet.
func sheetParts(z *zip.Reader) (map[string]string, error) {
	var book struct {
		Sheets []struct {
			Name string `xml:"name,attr"`
			ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	var rels struct {
		Relationship []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		}
	}
	if err := decode(z, "xl/workbook.xml", &book); err != nil {
		return nil, err
	}
	if err := decode(z, "xl/_rels/workbook.xml.rels", &rels); err != nil {
		return nil, err
	}
	target := map[string]string{}
	for _, r := range rels.Relationship {
		if strings.HasPrefix(r.Target, "/") {
			target[r.ID] = strings.TrimPrefix(r.Target, "/")
		} else {
			target[r.ID] = path.Join("xl", r.Target)
		}
	}
	out := map[string]string{}
	for _, s := range book.Sheets {
		out[s.Name] = target[s.ID]
	}
	return out, nil
}

func decode(z *zip.Reader, part string, into any) error {
	f, err := z.Open(part)
	if err != nil {
		return err
	}
	defer f.Close()
	return xml.NewDecoder(f).Decode(into)
}

// withoutValue lists the cells of a sheet with a formula and without a value.
func withoutValue(r io.Reader) (open, error) {
	out := open{}
	d := xml.NewDecoder(r)
	cell, text, formula, value, inside := "", false, false, false, false
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "c":
				cell, text, formula, value = attribute(t, "r"), attribute(t, "t") == "str", false, false
			case "f":
				formula = true
			case "v", "is":
				inside, value = true, text // which may be an empty one
			}
		case xml.CharData:
			value = value || inside && len(bytes.TrimSpace(t)) > 0
		case xml.EndElement:
			inside = inside && t.Name.Local != "v" && t.Name.Local != "is"
			column, row, err := excelize.CellNameToCoordinates(cell)
			if t.Name.Local == "c" && formula && !value && err == nil && column <= maxColumns {
				out[row] = append(out[row], column-1)
			}
		}
	}
}

func attribute(t xml.StartElement, name string) string {
	i := slices.IndexFunc(t.Attr, func(a xml.Attr) bool { return a.Name.Local == name })
	if i < 0 {
		return ""
	}
	return t.Attr[i].Value
}

// fill writes WithoutValue into those cells of a row whose formulas have none.
func (o open) fill(cells []string, row int) []string {
	for _, i := range o[row] {
		for len(cells) <= i {
			cells = append(cells, "")
		}
		if cells[i] == "" {
			cells[i] = WithoutValue
		}
	}
	return cells
}
