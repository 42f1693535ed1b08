// Package runs is a run's page and everything that leads off it: its details, marks and photos, its
// recordings and what is put right in them, its pictures and files.
package runs

import (
	"context"
	"embed"
	"io"

	"zincroad/core/judge"
	"zincroad/core/run"
	"zincroad/core/trace"
	"zincroad/formats/csvlog"
	"zincroad/formats/intake"
	"zincroad/logbook"
	"zincroad/web/ui"
)

//go:embed templates
var files embed.FS

// Room is this room of the interface; safe for concurrent use.
type Room struct {
	*ui.Pages
	book Book
}

// Book is what the room needs of the logbook: runs.
type Book interface {
	AddNote(ctx context.Context, n *logbook.Note) error
	Notes(ctx context.Context, runID int64) ([]logbook.Note, error)
	RemoveNote(ctx context.Context, runID, id int64) error
	LastActor(ctx context.Context, entity string, id int64) (string, error)
	Give(ctx context.Context, id, person int64) error
	People(ctx context.Context) ([]logbook.Person, error)
	Person(ctx context.Context, id int64) (*logbook.Person, error)
	Share(ctx context.Context, id int64, shared bool) error
	AsRecorded(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
	Changes(ctx context.Context, runID int64) ([]logbook.Change, error)
	UndoChange(ctx context.Context, runID, id int64) error
	AddRecordings(ctx context.Context, runID int64, in *intake.Bundle) error
	Correct(ctx context.Context, c *logbook.Correction) error
	Corrections(ctx context.Context, runID int64) ([]logbook.Correction, error)
	DeleteMark(ctx context.Context, runID, id int64) (*logbook.Mark, error)
	DeleteRun(ctx context.Context, id int64) error
	Elsewhere(ctx context.Context, row *logbook.Run, car *run.Car) (judge.Elsewhere, error)
	File(ctx context.Context, rec *logbook.Recording) (*logbook.KeptFile, error)
	LeaveOut(ctx context.Context, runID, recordingID int64, channels []trace.Channel, readings []int) error
	Load(ctx context.Context, row *logbook.Run) (*run.Run, error)
	MakeMaster(ctx context.Context, runID, recordingID int64, offsetS float64) error
	Parcel(ctx context.Context, row *logbook.Run) (*logbook.Parcel, error)
	Runs(ctx context.Context, ids []int64) ([]*logbook.Run, error)
	WriteFolders(ctx context.Context, w io.Writer, rows []*logbook.Run, photos bool) error
	WriteReadings(ctx context.Context, w io.Writer, rec *logbook.Recording) error
	Photo(ctx context.Context, runID, id int64) (*logbook.Photo, error)
	Photos(ctx context.Context, runID int64) ([]logbook.Photo, error)
	Preparation(ctx context.Context, id int64) (*logbook.Preparation, error)
	PutPhotoAside(ctx context.Context, runID, id int64, aside bool) error
	Remembered(ctx context.Context, l csvlog.Layout) (csvlog.Layout, bool, error)
	RestoreRun(ctx context.Context, id int64) error
	Results(ctx context.Context, row *logbook.Run) (*logbook.Results, error)
	Run(ctx context.Context, id int64) (*logbook.Run, error)
	SaveMark(ctx context.Context, m *logbook.Mark) error
	SaveRecording(ctx context.Context, runID, recordingID int64, side trace.Side, offsetS float64) error
	SettleClock(ctx context.Context, runID, recordingID int64, offsetS, driftPPM float64, settled bool) error
	TakeAway(ctx context.Context, runID, recordingID int64) error
	TakeBackCorrections(ctx context.Context, runID int64, ids []int64) error
	TakeBackCorrection(ctx context.Context, runID, id int64, back bool) error
	Cars(ctx context.Context) ([]logbook.Car, error)
	Sites(ctx context.Context) ([]logbook.Site, error)
	Adapters(ctx context.Context) ([]logbook.Adapter, error)
	SoftwareOf(ctx context.Context, carID int64, version string) (int64, error)
	SaveDetailsUnchanged(ctx context.Context, row *logbook.Run, marks ...logbook.Mark) error
}

// New furnishes the room. It fails when its own templates are broken.
func New(u *ui.UI, book Book) (*Room, error) {
	pages, err := u.Pages(files, nil)
	if err != nil {
		return nil, err
	}
	return &Room{Pages: pages, book: book}, nil
}
