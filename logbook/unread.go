package logbook

import (
	"context"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"

	"gorm.io/gorm/schema"
)

// Unread names what was stored with a row and cannot be read: it is left out, the row and all others stand. It is in
// the words of a sentence, "its charging curve".
type Unread []string

// unreadWords are the columns that hold JSON, in the middle of a sentence.
var unreadWords = map[string]string{"tariff": "tariff", "envelope": "charging curve", "pack": "pack",
	"navigation": "preconditioning by navigation", "gentle_envelope": "gentle charging curve", "claims": "claims",
	"choices": "choices", "document": "rules", "plan": "forecast"}

// readableJSON reads JSON columns one by one: a value that is none of its kind, as an older or a newer program or a
// hand may have left it, spoils itself alone, not the row and not the list that the row is in.
type readableJSON struct{ schema.JSONSerializer }

// Scan implements schema.SerializerInterface.
func (readableJSON) Scan(ctx context.Context, field *schema.Field, row reflect.Value, stored any) error {
	value := reflect.New(field.FieldType)
	var text []byte
	switch v := stored.(type) {
	case nil:
	case []byte:
		text = v
	case string:
		text = []byte(v)
	default:
		return fmt.Errorf("column %s: %T, expected JSON", field.DBName, stored)
	}
	if len(text) > 0 && json.Unmarshal(text, value.Interface()) != nil {
		value = reflect.New(field.FieldType) // nothing half read
		noteUnread(reflect.Indirect(row), field.DBName)
	}
	field.ReflectValueOf(ctx, row).Set(value.Elem())
	return nil
}

// noteUnread says in a row that a column of it could not be read.
func noteUnread(row reflect.Value, column string) {
	list := row.FieldByName("Unread")
	if !list.IsValid() || !list.CanSet() {
		return
	}
	what := unreadWords[column]
	if have, ok := list.Interface().(Unread); ok && !slices.Contains(have, what) {
		list.Set(reflect.ValueOf(append(slices.Clone(have), what)))
	}
}

func init() { schema.RegisterSerializer("json", readableJSON{}) }
