package ui

import (
	"html/template"
	"text/template/parse"

	"zincroad/core/say"
)

// writtenName is the function that every value goes through on its way into a page; no template names it.
const writtenName = "_written"

// writtenFor makes texts, quantities and dates the words of a reader; all else is left as it is.
func writtenFor(in Reader) func(any) any {
	return func(v any) any {
		switch x := v.(type) {
		case say.Text:
			return x.In(in.People)
		case say.Quantity:
			return x.In(in.People)
		case Date:
			return in.Date(x)
		}
		return v
	}
}

// throughWritten has each value that a template and its parts print go through writtenName, so that none is shown in
// other units than the rest of its page.
func throughWritten(t *template.Template) {
	for _, part := range t.Templates() {
		if part.Tree != nil && part.Tree.Root != nil {
			each(part.Tree.Root, func(a *parse.ActionNode) {
				if len(a.Pipe.Decl) == 0 {
					name := parse.NewIdentifier(writtenName).SetPos(a.Pos).SetTree(part.Tree)
					a.Pipe.Cmds = append(a.Pipe.Cmds, &parse.CommandNode{NodeType: parse.NodeCommand, Pos: a.Pos,
						Args: []parse.Node{name}})
				}
			})
		}
	}
}

// each calls f for every action that prints in a list of nodes.
func each(list *parse.ListNode, f func(*parse.ActionNode)) {
	if list == nil {
		return
	}
	for _, n := range list.Nodes {
		switch x := n.(type) {
		case *parse.ActionNode:
			f(x)
		case *parse.IfNode:
			each(x.List, f)
			each(x.ElseList, f)
		case *parse.RangeNode:
			each(x.List, f)
			each(x.ElseList, f)
		case *parse.WithNode:
			each(x.List, f)
			each(x.ElseList, f)
		}
	}
}
