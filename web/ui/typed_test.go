package ui_test

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/types"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"text/template/parse"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// Every page asks its view only for what the view has: each template is walked with the type of what its handler hands
// to Render or Part, as the compiler would. What no type is known of (what dict, index and other functions give) is
// passed over.
func TestTemplatesAskForWhatTheirViewHas(t *testing.T) {
	rooms, err := packages.Load(&packages.Config{Mode: packages.NeedName | packages.NeedTypes | packages.NeedTypesInfo |
		packages.NeedSyntax | packages.NeedFiles | packages.NeedImports | packages.NeedDeps}, "zincroad/web/...")
	require.NoError(t, err)
	shown := 0
	for _, room := range rooms {
		require.Empty(t, room.Errors, room.PkgPath)
		for _, file := range room.Syntax {
			ast.Inspect(file, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok {
					return true
				}
				if s, ok := shownBy(room, file, call); ok {
					shown++
					for _, fault := range s.check(t) {
						t.Errorf("%s: %s", room.Fset.Position(call.Pos()), fault)
					}
				}
				return true
			})
		}
	}
	assert.Greater(t, shown, 40, "calls that show a page or a part")
}

// A field that a view lacks, a method's result, what range and with stand on, and a template called with a value are
// all followed; the check can fail.
func TestTheWalkFindsWhatIsNotThere(t *testing.T) {
	row := types.NewNamed(types.NewTypeName(0, nil, "Row", nil), types.NewStruct([]*types.Var{
		types.NewField(0, nil, "Name", types.Typ[types.String], false)}, nil), nil)
	view := types.NewStruct([]*types.Var{
		types.NewField(0, nil, "Rows", types.NewSlice(types.NewPointer(row)), false)}, nil)
	for text, want := range map[string]string{
		`{{ range .Rows }}{{ .Name }}{{ end }}`:                                            "",
		`{{ range .Rows }}{{ .Nome }}{{ end }}`:                                            "Row has no Nome",
		`{{ range $i, $r := .Rows }}{{ $r.Nome }}{{ end }}`:                                "Row has no Nome",
		`{{ range .Rows }}{{ $.Cars }}{{ end }}`:                                           "has no Cars",
		`{{ range .Rows }}{{ template "x" . }}{{ end }}{{ define "x" }}{{ .No }}{{ end }}`: "Row has no No",
		`{{ with .Rows }}{{ range . }}{{ .No }}{{ end }}{{ end }}`:                         "Row has no No",
		`{{ $v := . }}{{ if len $v.Cars }}{{ end }}`:                                       "has no Cars",
	} {
		w := walk{trees: map[string]*parse.Tree{}}
		w.read(t, "page", text)
		w.template("page", view)
		if got := strings.Join(w.faults, "; "); want == "" {
			assert.Empty(t, got, text)
		} else {
			assert.Contains(t, got, want, text)
		}
	}
}

// showing is a page, or a part of it, with the type of its view.
type showing struct {
	dir, page, part string
	view            types.Type // nil: nothing
	frame           types.Type // of a page
}

// shownBy understands a call of Render or Part whose page is named outright.
func shownBy(in *packages.Package, file *ast.File, call *ast.CallExpr) (s showing, ok bool) {
	sel, is := call.Fun.(*ast.SelectorExpr)
	if !is {
		return s, false
	}
	method, is := in.TypesInfo.Uses[sel.Sel].(*types.Func)
	if !is || method.Pkg() == nil || method.Pkg().Path() != "zincroad/web/ui" {
		return s, false
	}
	name := func(i int) string {
		if v := in.TypesInfo.Types[call.Args[i]].Value; v != nil && v.Kind() == constant.String {
			return constant.StringVal(v)
		}
		return ""
	}
	s.dir = filepath.Dir(in.GoFiles[0])
	switch method.Name() {
	case "Part":
		s.page, s.part, s.view = name(2), name(3), in.TypesInfo.TypeOf(call.Args[4])
	case "Render":
		s.page, s.part, s.frame = name(2), "base", in.TypesInfo.TypeOf(call.Args[4])
		s.view = dataOf(in, file, call.Args[4])
	default:
		return s, false
	}
	return s, s.page != ""
}

// dataOf is the type of a frame's Data: where the frame is written down, or where a variable of it is given its data.
func dataOf(in *packages.Package, file *ast.File, frame ast.Expr) (view types.Type) {
	isData := func(e ast.Expr) bool { id, ok := e.(*ast.Ident); return ok && id.Name == "Data" }
	lit := func(e ast.Expr) {
		if l, ok := e.(*ast.CompositeLit); ok {
			for _, e := range l.Elts {
				if kv, ok := e.(*ast.KeyValueExpr); ok && isData(kv.Key) {
					view = in.TypesInfo.TypeOf(kv.Value)
				}
			}
		}
	}
	variable, ok := frame.(*ast.Ident)
	if !ok {
		lit(frame)
		return view
	}
	of := in.TypesInfo.ObjectOf(variable)
	is := func(e ast.Expr) bool { id, ok := e.(*ast.Ident); return ok && in.TypesInfo.ObjectOf(id) == of }
	ast.Inspect(file, func(n ast.Node) bool {
		if a, ok := n.(*ast.AssignStmt); ok && len(a.Lhs) == len(a.Rhs) {
			for i, left := range a.Lhs {
				if sel, ok := left.(*ast.SelectorExpr); ok && is(sel.X) && isData(sel.Sel) {
					view = in.TypesInfo.TypeOf(a.Rhs[i])
				} else if is(left) {
					lit(a.Rhs[i])
				}
			}
		}
		return true
	})
	return view
}

// check walks the page's templates.
func (s showing) check(t *testing.T) []string {
	w := walk{trees: map[string]*parse.Tree{}, frame: s.frame, data: s.view}
	paths := []string{"templates/base.html", "templates/parts.html"}
	own := filepath.Join(s.dir, "templates", "page_"+s.page+".html")
	if _, err := os.Stat(own); err != nil {
		own = "templates/page_" + s.page + ".html"
	}
	parts, err := filepath.Glob(filepath.Join(filepath.Dir(own), s.page+"_*.html"))
	require.NoError(t, err)
	for _, path := range slices.Concat(paths, parts, []string{own}) {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		w.read(t, path, string(text))
	}
	dot := s.view
	if s.frame != nil {
		dot = s.frame
	}
	w.template(s.part, dot)
	return w.faults
}

// walk follows templates with the types of what they are given; a nil type is one that is not known.
type walk struct {
	trees       map[string]*parse.Tree
	frame, data types.Type // a page's frame, and what its Data is
	seen        []seen
	faults      []string
	in          string
}

type seen struct {
	name string
	dot  types.Type
}

// scope is what variables are.
type scope map[string]types.Type

func (w *walk) read(t *testing.T, path, text string) {
	tree := parse.New(path)
	tree.Mode = parse.SkipFuncCheck
	set := map[string]*parse.Tree{}
	_, err := tree.Parse(text, "", "", set)
	require.NoError(t, err)
	for name, tree := range set {
		if old := w.trees[name]; old == nil || !parse.IsEmptyTree(tree.Root) {
			w.trees[name] = tree
		}
	}
}

func (w *walk) template(name string, dot types.Type) {
	tree := w.trees[name]
	for _, s := range w.seen {
		if s.name == name && (s.dot == dot || s.dot != nil && dot != nil && types.Identical(s.dot, dot)) {
			return
		}
	}
	if tree == nil {
		w.faults = append(w.faults, fmt.Sprintf("there is no template %q", name))
		return
	}
	w.seen = append(w.seen, seen{name, dot})
	was := w.in
	w.in = name
	w.list(tree.Root, dot, scope{"$": dot})
	w.in = was
}

func (w *walk) list(l *parse.ListNode, dot types.Type, vars scope) {
	if l == nil {
		return
	}
	for _, n := range l.Nodes {
		switch n := n.(type) {
		case *parse.ActionNode:
			w.pipe(n.Pipe, dot, vars)
		case *parse.TemplateNode:
			var given types.Type = types.Typ[types.UntypedNil]
			if n.Pipe != nil {
				given = w.pipe(n.Pipe, dot, vars)
			}
			w.template(n.Name, given)
		case *parse.IfNode:
			inner := vars.copied()
			w.pipe(n.Pipe, dot, inner)
			w.list(n.List, dot, inner)
			w.list(n.ElseList, dot, inner.copied())
		case *parse.WithNode:
			inner := vars.copied()
			w.list(n.List, w.pipe(n.Pipe, dot, inner), inner)
			w.list(n.ElseList, dot, inner.copied())
		case *parse.RangeNode:
			inner := vars.copied()
			key, value := elementOf(w.pipe(n.Pipe, dot, inner))
			if d := n.Pipe.Decl; len(d) == 1 {
				inner[d[0].Ident[0]] = value
			} else if len(d) == 2 {
				inner[d[0].Ident[0]], inner[d[1].Ident[0]] = key, value
			}
			w.list(n.List, value, inner)
			w.list(n.ElseList, dot, vars.copied())
		}
	}
}

func (s scope) copied() scope {
	out := make(scope, len(s))
	for k, v := range s {
		out[k] = v
	}
	return out
}

// elementOf is what a range over a value stands on.
func elementOf(t types.Type) (key, value types.Type) {
	if t == nil {
		return nil, nil
	}
	if p, ok := t.Underlying().(*types.Pointer); ok {
		t = p.Elem()
	}
	switch u := t.Underlying().(type) {
	case *types.Slice:
		return types.Typ[types.Int], u.Elem()
	case *types.Array:
		return types.Typ[types.Int], u.Elem()
	case *types.Map:
		return u.Key(), u.Elem()
	case *types.Basic:
		return t, t
	}
	return nil, nil
}

func (w *walk) pipe(p *parse.PipeNode, dot types.Type, vars scope) types.Type {
	var last types.Type
	for i, c := range p.Cmds {
		for _, a := range c.Args[1:] {
			w.value(a, dot, vars)
		}
		last = w.value(c.Args[0], dot, vars)
		if i > 0 && c.Args[0].Type() != parse.NodeIdentifier {
			last = nil
		}
	}
	for _, d := range p.Decl {
		vars[d.Ident[0]] = last
	}
	return last
}

// value is the type of one operand; nil where a function gives it.
func (w *walk) value(n parse.Node, dot types.Type, vars scope) types.Type {
	switch n := n.(type) {
	case *parse.DotNode:
		return dot
	case *parse.FieldNode:
		return w.chain(dot, n.Ident)
	case *parse.VariableNode:
		return w.chain(vars[n.Ident[0]], n.Ident[1:])
	case *parse.ChainNode:
		return w.chain(w.value(n.Node, dot, vars), n.Field)
	case *parse.PipeNode:
		return w.pipe(n, dot, vars)
	}
	return nil
}

// chain follows fields and methods.
func (w *walk) chain(t types.Type, names []string) types.Type {
	for _, name := range names {
		if t == nil {
			return nil
		}
		if w.frame != nil && name == "Data" && types.Identical(t, w.frame) {
			t = w.data
			continue
		}
		if m, ok := t.Underlying().(*types.Map); ok {
			t = m.Elem()
			continue
		}
		if i, ok := t.Underlying().(*types.Interface); ok && i.Empty() {
			return nil
		}
		found, _, _ := types.LookupFieldOrMethod(t, true, nil, name)
		switch o := found.(type) {
		case *types.Var:
			t = o.Type()
		case *types.Func:
			t = o.Signature().Results().At(0).Type()
		default:
			w.faults = append(w.faults, fmt.Sprintf("template %q: %s has no %s", w.in, t, name))
			return nil
		}
	}
	return t
}
