package publish

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"zincroad/core/run"
	"zincroad/core/words"
	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/draw"
	"zincroad/web/report"
	"zincroad/web/ui"
)

type listView struct{ Reports []shown }

// shown is a report in the list.
type shown struct {
	logbook.Report
	Name string
}

// Of says what the report is of.
func (x shown) Of() string {
	switch {
	case x.Trip != "":
		return "a trip"
	case x.CarID != nil:
		return "a car"
	}
	return fmt.Sprintf("%d %s", len(x.Runs), words.Plural(len(x.Runs), "run"))
}

func (s *Room) list(w http.ResponseWriter, r *http.Request) error { return s.showList(w, r, nil) }

func (s *Room) showList(w http.ResponseWriter, r *http.Request, n *ui.Notice) error {
	list, err := s.book.Reports(r.Context())
	if err != nil {
		return err
	}
	v := listView{}
	for i := range list {
		c, err := s.coverOf(&list[i])
		if err != nil {
			return err
		}
		v.Reports = append(v.Reports, shown{list[i], c.Name()})
	}
	s.Render(w, r, "reports", http.StatusOK, ui.Frame{Title: "Reports", Page: "reports", Data: v, Notice: n})
	return nil
}

type part struct {
	Key, Name string
	On        bool
}

type photo struct {
	RunID, ID int64
	On        bool
}

type formView struct {
	*ui.Fields
	Runs    string
	Rows    []*logbook.Run
	Heading string // what the report would say
	Parts   []part
	Photos  []photo
}

// form asks what a report of runs is to have.
func (s *Room) form(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	f := ui.NewFields(url.Values{"runs": {q.Get("runs")}, "car": {q.Get("car")}, "profile": {q.Get("profile")},
		"trip": {q.Get("trip")}, "data": {"yes"}})
	for _, p := range report.Parts {
		f.Values.Add("part", p.Key)
	}
	return s.showForm(w, r, http.StatusOK, f)
}

func (s *Room) showForm(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields) error {
	v := formView{Fields: f, Runs: f.Values.Get("runs")}
	kept, err := subjectOf(f)
	if err != nil {
		return ui.BadRequest("%s", ui.Sentence(err.Error()))
	}
	c, rows, err := s.contentOf(r.Context(), kept)
	if err != nil {
		return err
	}
	v.Rows, v.Heading = rows, c.Heading
	for _, p := range report.Parts {
		v.Parts = append(v.Parts, part{p.Key, p.Name, slices.Contains(f.Values["part"], p.Key)})
	}
	for _, row := range v.Rows {
		list, err := s.book.Photos(r.Context(), row.ID)
		if err != nil {
			return err
		}
		for _, p := range list {
			v.Photos = append(v.Photos, photo{row.ID, p.ID, f.Values.Get("photo") == fmt.Sprintf("%d-%d", row.ID, p.ID)})
		}
	}
	s.Render(w, r, "report-new", status, ui.Frame{Title: "Make a report", Page: "reports", Data: v})
	return nil
}

// make makes a report, and shows it to its author.
func (s *Room) make(w http.ResponseWriter, r *http.Request) error {
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	kept, err := subjectOf(f)
	if err != nil {
		return ui.BadRequest("%s", ui.Sentence(err.Error()))
	}
	kept.Title, kept.Author, kept.Words = f.Text("title"), f.Text("author"), f.Long("words")
	for _, p := range report.Parts {
		if !slices.Contains(f.Values["part"], p.Key) {
			kept.Without = append(kept.Without, p.Key)
		}
	}
	err = s.photoOf(r.Context(), kept, f.Values.Get("photo"))
	if err == nil {
		err = s.fill(r.Context(), kept, f.Values.Get("data") != "")
	}
	if errors.Is(err, errLarge) {
		f.Fault("data", "%s", ui.Sentence(err.Error()))
	} else if err != nil {
		return err
	}
	if !f.OK() {
		return s.showForm(w, r, http.StatusUnprocessableEntity, f)
	}
	if err := s.book.SaveReport(r.Context(), kept); err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(kept.ID), http.StatusSeeOther)
	return nil
}

// mostAsked is how long what a trip's page was asked for may be, bytes.
const mostAsked = 8 << 10

// subjectOf is what a form's report is to be of: a trip, a car in a profile, or runs.
func subjectOf(f *ui.Fields) (*logbook.Report, error) {
	kept := &logbook.Report{Runs: []int64{}, Without: []string{}, Notes: []logbook.Correcting{}}
	if kept.Trip = f.Values.Get("trip"); kept.Trip != "" {
		if len(kept.Trip) > mostAsked {
			return nil, errors.New("that is no trip of ours: its address is too long")
		}
		return kept, nil
	}
	if kept.CarID = f.ID("car"); kept.CarID != nil {
		kept.Profile = f.Values.Get("profile")
		if !slices.Contains(run.Profiles, kept.Profile) {
			kept.Profile = run.Profiles[0]
		}
		return kept, nil
	}
	var err error
	kept.Runs, err = idsOf(f.Values.Get("runs"))
	return kept, err
}

func pathOf(id int64) string { return fmt.Sprintf("/reports/%d", id) }

// photoOf takes the photo that was chosen of one of the report's runs.
func (s *Room) photoOf(ctx context.Context, kept *logbook.Report, chosen string) error {
	var runID, id int64
	if _, err := fmt.Sscanf(chosen, "%d-%d", &runID, &id); err != nil || !slices.Contains(kept.Runs, runID) {
		return nil // none was
	}
	p, err := s.book.Photo(ctx, runID, id)
	if err != nil {
		return err
	}
	kept.Photo, kept.PhotoKind = p.Content, p.Kind
	if len(p.Small) > 0 {
		kept.Photo = p.Small
	}
	return nil
}

// fill works a report's content out, with its data where it is to go along.
func (s *Room) fill(ctx context.Context, kept *logbook.Report, withData bool) error {
	c, rows, err := s.contentOf(ctx, kept)
	if err != nil {
		return err
	}
	kept.Data = nil
	if withData && len(rows) > 0 {
		if kept.Data, err = s.dataOf(ctx, rows); err != nil {
			return err
		}
	}
	if kept.Content, err = json.Marshal(c); err != nil {
		return fmt.Errorf("keeping a report's content: %w", err)
	}
	kept.Hash, kept.MadeAt = report.HashOf(c, kept.Data), s.Now()
	return nil
}

type pageView struct {
	*ui.Fields
	Report   *logbook.Report
	Name     string
	Heading  string
	Newer    string // what it would say today; empty: the same
	Changed  bool   // its figures would be others today
	Gone     bool   // one of its runs is no more
	Links    []link
	Address  string // of a link that was made a moment ago
	Sizes    []size
	Markdown string
}

type link struct {
	logbook.Link
	Over bool
}

type size struct{ Key, Name string }

var sizes = []size{{"wide", "wide"}, {"square", "square"}, {"tall", "tall"}}

// page is a report as its author sees it.
func (s *Room) page(w http.ResponseWriter, r *http.Request) error {
	return s.show(w, r, http.StatusOK, nil, "", nil)
}

func (s *Room) show(w http.ResponseWriter, r *http.Request, status int, f *ui.Fields, address string,
	n *ui.Notice) error {
	kept, cover, err := s.covered(r)
	if err != nil {
		return err
	}
	v := pageView{Fields: f, Report: kept, Name: cover.Name(), Heading: cover.Heading, Address: address, Sizes: sizes}
	if f == nil {
		v.Fields = ui.NewFields(url.Values{"title": {kept.Title}, "author": {kept.Author}, "words": {kept.Words}})
	}
	if v.Markdown, err = report.MarkdownOf(cover.CSV); err != nil {
		return err
	}
	links, err := s.book.Links(r.Context(), kept.ID)
	if err != nil {
		return err
	}
	for _, l := range links {
		v.Links = append(v.Links, link{l, l.WithdrawnAt != nil || l.Ended(s.Now())})
	}
	if err := s.compare(r.Context(), &v, cover); err != nil {
		return err
	}
	s.Render(w, r, "report", status, ui.Frame{Title: "Report", Page: "reports", Data: v, Notice: n})
	return nil
}

// compare says whether the report would be another today.
func (s *Room) compare(ctx context.Context, v *pageView, cover *report.Cover) error {
	today, _, err := s.contentOf(ctx, v.Report)
	if errors.Is(err, logbook.ErrNotFound) {
		v.Gone = true
		return nil
	}
	if err != nil {
		return err
	}
	before, err1 := json.Marshal(cover.Content)
	now, err2 := json.Marshal(today)
	if v.Changed = !bytes.Equal(before, now); v.Changed && today.Heading != cover.Heading {
		v.Newer = today.Heading
	}
	return errors.Join(err1, err2)
}

func (s *Room) kept(r *http.Request) (*logbook.Report, error) {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return nil, err
	}
	return s.book.Report(r.Context(), id)
}

// covered is the report that the address names, and as it is written.
func (s *Room) covered(r *http.Request) (*logbook.Report, *report.Cover, error) {
	kept, err := s.kept(r)
	if err != nil {
		return nil, nil, err
	}
	cover, err := s.coverOf(kept)
	return kept, cover, err
}

// words changes what the author says around a report.
func (s *Room) words(w http.ResponseWriter, r *http.Request) error {
	kept, err := s.kept(r)
	if err != nil {
		return err
	}
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	title, author, said := f.Text("title"), f.Text("author"), f.Long("words")
	if !f.OK() {
		return s.show(w, r, http.StatusUnprocessableEntity, f, "", nil)
	}
	if err := s.book.SetReportWords(r.Context(), kept.ID, title, author, said); err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(kept.ID), http.StatusSeeOther)
	return nil
}

// note reads the sentence that goes on top of a report; false where there is none, which was answered.
func (s *Room) note(w http.ResponseWriter, r *http.Request, kept *logbook.Report) (logbook.Correcting, bool, error) {
	f, ok := s.Form(w, r)
	if !ok {
		return logbook.Correcting{}, false, nil
	}
	text := f.Needed("note", "what was changed and why")
	if !f.OK() {
		for key, v := range map[string]string{"title": kept.Title, "author": kept.Author, "words": kept.Words} {
			f.Values.Set(key, v)
		}
		return logbook.Correcting{}, false, s.show(w, r, http.StatusUnprocessableEntity, f, "", nil)
	}
	return logbook.Correcting{At: s.Now(), Text: text}, true, nil
}

// correct puts a correction on top of a report.
func (s *Room) correct(w http.ResponseWriter, r *http.Request) error {
	kept, err := s.kept(r)
	if err != nil {
		return err
	}
	note, ok, err := s.note(w, r, kept)
	if !ok {
		return err
	}
	if err := s.book.CorrectReport(r.Context(), kept.ID, note); err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(kept.ID), http.StatusSeeOther)
	return nil
}

// renew makes a report anew from its runs as they are now, and says so on it.
func (s *Room) renew(w http.ResponseWriter, r *http.Request) error {
	kept, err := s.kept(r)
	if err != nil {
		return err
	}
	note, ok, err := s.note(w, r, kept)
	if !ok {
		return err
	}
	if err := s.fill(r.Context(), kept, kept.WithData); errors.Is(err, errLarge) {
		return ui.BadRequest("%s", ui.Sentence(err.Error()))
	} else if err != nil {
		return err
	}
	if err := s.book.RenewReport(r.Context(), kept.ID, kept, note); err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(kept.ID), http.StatusSeeOther)
	return nil
}

// addLink makes a link, and shows its address once.
func (s *Room) addLink(w http.ResponseWriter, r *http.Request) error {
	kept, err := s.kept(r)
	if err != nil {
		return err
	}
	f, ok := s.Form(w, r)
	if !ok {
		return nil
	}
	l := &logbook.Link{ReportID: kept.ID, Name: f.Needed("name", "for whom the link is"),
		Listed: f.Values.Get("listed") != ""}
	if days := f.Number("days", 1, 3650); days != nil {
		ends := s.Now().Add(time.Duration(*days * 24 * float64(time.Hour)))
		l.EndsAt = &ends
	}
	if p := f.Values.Get("password"); p != "" {
		if fault := password.Check(p); fault != "" {
			f.Fault("password", "%s", fault)
		} else if l.Password, err = password.Hash(p); err != nil {
			return err
		}
	}
	f.Values.Del("password") // it is not sent back
	for key, v := range map[string]string{"title": kept.Title, "author": kept.Author, "words": kept.Words} {
		f.Values.Set(key, v)
	}
	if !f.OK() {
		return s.show(w, r, http.StatusUnprocessableEntity, f, "", nil)
	}
	secret, err := s.book.AddLink(r.Context(), l)
	if err != nil {
		return err
	}
	w.Header().Set("Cache-Control", "no-store")
	scheme := "http://"
	if r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https" {
		scheme = "https://"
	}
	return s.show(w, r, http.StatusOK, nil, scheme+r.Host+Prefix+"/"+secret, nil)
}

// withdraw ends a link at once.
func (s *Room) withdraw(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	l, err := ui.IDParam(r, "link")
	if err != nil {
		return err
	}
	if err := s.book.WithdrawLink(r.Context(), id, l); err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(id), http.StatusSeeOther)
	return nil
}

// remove removes a report; its links open nothing from then on.
func (s *Room) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.DeleteReport(r.Context(), id)
	}
	if err != nil {
		return err
	}
	return s.showList(w, r, &ui.Notice{Text: "The report is removed; its links open nothing.",
		Undo: pathOf(id) + "/restore"})
}

func (s *Room) restore(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err == nil {
		err = s.book.RestoreReport(r.Context(), id)
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, pathOf(id), http.StatusSeeOther)
	return nil
}

// file gives the report as one page: to look at, or with ?download to keep.
func (s *Room) file(w http.ResponseWriter, r *http.Request) error {
	kept, cover, err := s.covered(r)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Security-Policy", publicPolicy)
	if r.URL.Query().Has("download") {
		ui.Attach(w, "text/html; charset=utf-8", fmt.Sprintf("report-%d.html", kept.ID))
	} else {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if kept.WithData {
			cover.DataHref = pathOf(kept.ID) + "/data.zip"
		}
	}
	return cover.Write(w)
}

func (s *Room) data(w http.ResponseWriter, r *http.Request) error {
	id, err := ui.IDParam(r, "id")
	if err != nil {
		return err
	}
	return s.sendData(r.Context(), w, id)
}

// picture gives the report's picture in one of the sizes, with the verdict and the conditions on it.
func (s *Room) picture(w http.ResponseWriter, r *http.Request) error {
	kept, cover, err := s.covered(r)
	if err != nil {
		return err
	}
	shape, ok := draw.Cards[r.URL.Query().Get("size")]
	if !ok {
		return ui.BadRequest("The size is wide, square or tall.")
	}
	facts := cover.Facts
	if cover.Sure != "" {
		facts = append([]string{"How sure that is: " + cover.Sure + "."}, facts...)
	}
	card := draw.Card{Shape: shape, Title: cover.Title, Heading: cover.Heading, Pictures: cover.Pictures,
		Facts: facts, Foot: strings.TrimPrefix(cover.By+", "+cover.On(), ", ")}
	ui.SendPicture(w, r, fmt.Sprintf("report-%d-%s.svg", kept.ID, r.URL.Query().Get("size")), card.SVG(s.Font))
	return nil
}

// table gives the report's figures for a post of one's own.
func (s *Room) table(w http.ResponseWriter, r *http.Request) error {
	kept, cover, err := s.covered(r)
	if err != nil {
		return err
	}
	text, kind := cover.CSV, "text/csv; charset=utf-8"
	if path.Ext(r.URL.Path) == ".md" {
		kind = "text/markdown; charset=utf-8"
		if text, err = report.MarkdownOf(cover.CSV); err != nil {
			return err
		}
	}
	ui.Attach(w, kind, fmt.Sprintf("report-%d%s", kept.ID, path.Ext(r.URL.Path)))
	_, _ = io.WriteString(w, text)
	return nil
}
