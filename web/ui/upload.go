package ui

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"

	"zincroad/formats/boxed"
	"zincroad/formats/photo"
	"zincroad/logbook"
)

// maxPhoto is how large a picture may be: what phones take, with room to spare.
const maxPhoto = 16 << 20

// mostSent is how much of a form with a picture is read to its end: what is more is cut off. Behind a picture
// that is too large may stand what was typed.
const mostSent = 128 << 20

// ReadPhoto reads the picture that a form may bring along; nil where it brings none. fault is one sentence on one
// that cannot be kept. Whatever is wrong with the picture, what was typed beside it is read: it stands in the
// request's form.
func ReadPhoto(w http.ResponseWriter, r *http.Request) (p *logbook.Photo, fault string) {
	r.Body = http.MaxBytesReader(w, r.Body, mostSent)
	end := &lastOf{ReadCloser: r.Body}
	r.Body = end
	if _, params, err := mime.ParseMediaType(r.Header.Get("Content-Type")); err == nil {
		end.mark = "--" + params["boundary"] + "--"
	}
	parts, err := r.MultipartReader()
	if errors.Is(err, http.ErrNotMultipart) {
		return nil, ""
	}
	if err != nil {
		return nil, "The form broke off on its way; send it once more."
	}
	r.Form, r.PostForm = url.Values{}, url.Values{}
	var content []byte
	name, broke := "", false
	for {
		part, err := parts.NextPart()
		if err != nil {
			broke = broke || !end.closed()
			break
		}
		if part.FileName() == "" {
			text, err := io.ReadAll(io.LimitReader(part, maxTyped))
			if err != nil { // half of a number is another number
				broke = true
				continue
			}
			r.Form.Add(part.FormName(), string(text))
			r.PostForm.Add(part.FormName(), string(text))
			continue
		}
		if part.FormName() != "photo" || content != nil {
			continue
		}
		name = part.FileName()
		if content, err = io.ReadAll(io.LimitReader(part, maxPhoto+1)); err != nil {
			fault = fmt.Sprintf("%q broke off on its way; choose it once more.", name)
		} else if len(content) > maxPhoto {
			fault = fmt.Sprintf("%q is larger than %d MB; choose a smaller one.", name, maxPhoto>>20)
		}
	}
	if broke {
		return nil, "The form broke off on its way; look whether all of it is here, and send it once more."
	}
	if fault != "" || len(content) == 0 {
		return nil, fault // or none was chosen
	}
	return keptPhoto(r.Context(), content, name)
}

// lastOf remembers the end of a body: a form that was cut off between two of its parts looks like a whole one but
// for the mark that closes it.
type lastOf struct {
	io.ReadCloser
	mark string
	last []byte
}

// Read implements io.Reader.
func (l *lastOf) Read(p []byte) (int, error) {
	n, err := l.ReadCloser.Read(p)
	l.last = append(l.last, p[max(0, n-2*len(l.mark)):n]...)
	l.last = l.last[max(0, len(l.last)-2*len(l.mark)-8):]
	return n, err
}

func (l *lastOf) closed() bool { return bytes.Contains(l.last, []byte(l.mark)) }

// maxTyped is how long one field of a form may be.
const maxTyped = 1 << 20

// keptPhoto makes a picture as it is kept, or says why it cannot be.
func keptPhoto(ctx context.Context, content []byte, name string) (p *logbook.Photo, fault string) {
	kept, err := boxed.Photo(ctx, content)
	switch {
	case errors.Is(err, photo.ErrKind):
		return nil, fmt.Sprintf("%q is no picture that can be shown: expected JPEG, PNG or WebP.", name)
	case errors.Is(err, photo.ErrSize):
		return nil, fmt.Sprintf("%q has more pixels than can be read; choose a smaller one.", name)
	case err != nil:
		return nil, fmt.Sprintf("%q cannot be read, it may not be whole; choose it once more.", name)
	}
	return &logbook.Photo{Kind: photo.Kind, Content: kept.Content, Small: kept.Small}, ""
}
