// Package publish is the room of reports: made of runs, kept as they were made, read by others over links.
package publish

import (
	"context"
	"embed"
	"io"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"zincroad/core/run"
	"zincroad/internal/password"
	"zincroad/logbook"
	"zincroad/web/report"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book Book
	from func(*http.Request) (string, error)
	trip TripReport
}

// TripReport works out what a report of a trip says, by the address of its page.
type TripReport func(ctx context.Context, query string) (*report.Content, error)

// Book is what the room needs of the logbook: reports with their links, and the runs that they are made of.
type Book interface {
	Reports(ctx context.Context) ([]logbook.Report, error)
	Report(ctx context.Context, id int64) (*logbook.Report, error)
	ReportData(ctx context.Context, id int64) ([]byte, error)
	SaveReport(ctx context.Context, r *logbook.Report) error
	SetReportWords(ctx context.Context, id int64, title, author, words string) error
	RenewReport(ctx context.Context, id int64, r *logbook.Report, why logbook.Correcting) error
	CorrectReport(ctx context.Context, id int64, note logbook.Correcting) error
	DeleteReport(ctx context.Context, id int64) error
	RestoreReport(ctx context.Context, id int64) error
	AddLink(ctx context.Context, l *logbook.Link) (secret string, err error)
	Links(ctx context.Context, reportID int64) ([]logbook.Link, error)
	LinkOf(ctx context.Context, secret string, now time.Time) (*logbook.Link, error)
	LinkOpened(ctx context.Context, id int64, now time.Time) error
	WithdrawLink(ctx context.Context, reportID, id int64) error
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	Results(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
	WriteFolders(ctx context.Context, w io.Writer, rows []*logbook.Run, photos bool) error
	Car(ctx context.Context, id int64) (*logbook.Car, error)
	Learned(ctx context.Context, car *run.Car, of logbook.Of) (*logbook.Learned, error)
	Photos(ctx context.Context, runID int64) ([]logbook.Photo, error)
	Photo(ctx context.Context, runID, id int64) (*logbook.Photo, error)
}

// New furnishes the room; from tells where a request comes from, trip what a report of a trip says. It fails when its
// own templates are broken.
func New(u *ui.UI, book Book, from func(*http.Request) (string, error), trip TripReport) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book, from: from, trip: trip}, nil
}

// Routes are the pages of those who are let in.
func (s *Room) Routes(r chi.Router) {
	r.Get("/", s.Do(s.list))
	r.Post("/", s.Do(s.make))
	r.Get("/new", s.Do(s.form))
	r.Route("/{id}", func(r chi.Router) {
		r.Get("/", s.Do(s.page))
		r.Post("/", s.Do(s.words))
		r.Post("/correct", s.Do(s.correct))
		r.Post("/renew", s.Do(s.renew))
		r.Post("/links", s.Do(s.addLink))
		r.Post("/links/{link}/withdraw", s.Do(s.withdraw))
		r.Post("/delete", s.Do(s.remove))
		r.Post("/restore", s.Do(s.restore))
		r.Get("/report.html", s.Do(s.file))
		r.Get("/data.zip", s.Do(s.data))
		r.Get("/picture.svg", s.Do(s.picture))
		r.Get("/table.csv", s.Do(s.table))
		r.Get("/table.md", s.Do(s.table))
	})
}

// Open is what a link opens, to anybody who has it; nothing else is reached by it.
func (s *Room) Open(r chi.Router) {
	tries := httprate.LimitBy(opensAMinute, time.Minute, s.from, httprate.WithLimitHandler(tooMany))
	passwords := httprate.LimitBy(password.TriesAMinute, time.Minute, s.from, httprate.WithLimitHandler(tooMany))
	r.Use(tries, public)
	r.Get("/{secret}", s.open)
	r.With(passwords).Post("/{secret}", s.open)
	r.Get("/{secret}/data.zip", s.openData)
	r.With(passwords).Post("/{secret}/data.zip", s.openData)
}

// opensAMinute is how often one address may open links within a minute: a room full of readers behind one address may,
// and nobody guesses one of 2^256 at that pace.
const opensAMinute = 120
