// Package trackfile reads ways over the land: GPX 1.1 (a track, else a route) and GeoJSON (RFC 7946: the lines of a
// geometry, a feature or a collection). Heights are taken where they are given.
package trackfile

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"zincroad/core/trip"
)

// MostBytes is how large a track's file may be.
const MostBytes = 32 << 20

// The errors of a file that is no track.
var (
	ErrLarge = fmt.Errorf("a track of at most %d MB was expected", MostBytes>>20)
	ErrKind  = errors.New("a GPX file with a track or route, or GeoJSON with a line, was expected")
)

// Read reads a track.
func Read(doc []byte) (*trip.Track, error) {
	if len(doc) > MostBytes {
		return nil, ErrLarge
	}
	text := bytes.TrimSpace(bytes.TrimPrefix(doc, []byte("\xef\xbb\xbf")))
	var points []trip.Point
	var err error
	switch {
	case bytes.HasPrefix(text, []byte("<")):
		points, err = gpx(text)
	case bytes.HasPrefix(text, []byte("{")):
		points, err = geoJSON(text)
	default:
		return nil, ErrKind
	}
	if err != nil {
		return nil, err
	}
	if len(points) == 0 {
		return nil, ErrKind
	}
	return trip.NewTrack(points)
}

// place is a trkpt or rtept; degrees stand in its attributes, as text so that a missing one is seen.
type place struct {
	Lat string `xml:"lat,attr"`
	Lon string `xml:"lon,attr"`
	Ele string `xml:"ele"`
}

// gpx reads the places of all tracks, segment behind segment; those of the routes where there is no track. What lies in
// another namespace's extensions is passed over.
func gpx(doc []byte) ([]trip.Point, error) {
	d := xml.NewDecoder(bytes.NewReader(doc))
	var tracks, routes []trip.Point
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("the GPX breaks off: %w", err)
		}
		start, ok := token.(xml.StartElement)
		if !ok {
			continue
		}
		into := &tracks
		switch start.Name.Local {
		case "trkpt":
		case "rtept":
			into = &routes
		default:
			continue
		}
		var p place
		line, _ := d.InputPos()
		if err := d.DecodeElement(&p, &start); err != nil {
			return nil, fmt.Errorf("the GPX breaks off: %w", err)
		}
		lat, err1 := strconv.ParseFloat(strings.TrimSpace(p.Lat), 64)
		lon, err2 := strconv.ParseFloat(strings.TrimSpace(p.Lon), 64)
		if err := errors.Join(err1, err2); err != nil {
			return nil, fmt.Errorf("line %d: lat and lon in degrees were expected", line)
		}
		height, err := strconv.ParseFloat(strings.TrimSpace(p.Ele), 64)
		if err != nil || math.IsInf(height, 0) {
			height = math.NaN()
		}
		*into = append(*into, trip.Point{LatDeg: lat, LonDeg: lon, HeightM: height})
	}
	if len(tracks) > 0 {
		return tracks, nil
	}
	return routes, nil
}

// object is any object of GeoJSON.
type object struct {
	Type        string          `json:"type"`
	Coordinates json.RawMessage `json:"coordinates"`
	Geometry    json.RawMessage `json:"geometry"`
	Geometries  json.RawMessage `json:"geometries"`
	Features    json.RawMessage `json:"features"`
}

// deepest is how far objects may lie in one another.
const deepest = 8

func geoJSON(doc []byte) ([]trip.Point, error) { return linesOf(doc, 0) }

// linesOf gives the places of an object's lines, one behind the other.
func linesOf(doc json.RawMessage, depth int) ([]trip.Point, error) {
	if depth > deepest || len(doc) == 0 || string(doc) == "null" {
		return nil, nil
	}
	var o object
	if err := json.Unmarshal(doc, &o); err != nil {
		return nil, fmt.Errorf("the GeoJSON cannot be read: %w", err)
	}
	switch o.Type {
	case "Feature":
		return linesOf(o.Geometry, depth+1)
	case "FeatureCollection":
		return eachOf(o.Features, depth)
	case "GeometryCollection":
		return eachOf(o.Geometries, depth)
	case "LineString":
		var line [][]float64
		if err := json.Unmarshal(o.Coordinates, &line); err != nil {
			return nil, fmt.Errorf("the GeoJSON's coordinates cannot be read: %w", err)
		}
		return placesOf(line)
	case "MultiLineString":
		var lines [][][]float64
		if err := json.Unmarshal(o.Coordinates, &lines); err != nil {
			return nil, fmt.Errorf("the GeoJSON's coordinates cannot be read: %w", err)
		}
		var out []trip.Point
		for _, line := range lines {
			places, err := placesOf(line)
			if err != nil {
				return nil, err
			}
			out = append(out, places...)
		}
		return out, nil
	}
	return nil, nil
}

func eachOf(list json.RawMessage, depth int) ([]trip.Point, error) {
	var parts []json.RawMessage
	if err := json.Unmarshal(list, &parts); err != nil {
		return nil, fmt.Errorf("the GeoJSON cannot be read: %w", err)
	}
	var out []trip.Point
	for _, part := range parts {
		places, err := linesOf(part, depth+1)
		if err != nil {
			return nil, err
		}
		out = append(out, places...)
	}
	return out, nil
}

// placesOf reads positions: longitude, latitude, and the height where there is a third number (RFC 7946, 3.1.1).
func placesOf(line [][]float64) ([]trip.Point, error) {
	var out []trip.Point
	for i, c := range line {
		if len(c) < 2 {
			return nil, fmt.Errorf("position %d of the GeoJSON: longitude and latitude were expected", i+1)
		}
		p := trip.Point{LonDeg: c[0], LatDeg: c[1], HeightM: math.NaN()}
		if len(c) > 2 {
			p.HeightM = c[2]
		}
		out = append(out, p)
	}
	return out, nil
}
