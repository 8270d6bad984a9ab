package main

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// finder collects the faults of one file.
type finder struct {
	fset  *token.FileSet
	info  *types.Info
	src   []byte
	file  string
	depth int
	fixed map[ast.Node]bool // what has to be constant
	list  []fault
}

// find lists the faults that can be put into the code of a package, in the order of files and lines.
func find(dir string) ([]fault, error) {
	fset := token.NewFileSet()
	names, err := filepath.Glob(filepath.Join(dir, "*.go"))
	if err != nil {
		return nil, err
	}
	var files []*ast.File
	names = slices.DeleteFunc(names, func(n string) bool { return strings.HasSuffix(n, "_test.go") })
	for _, n := range names {
		f, err := parser.ParseFile(fset, n, nil, 0)
		if err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	conf := types.Config{Importer: importer.ForCompiler(fset, "source", nil)}
	info := &types.Info{Types: map[ast.Expr]types.TypeAndValue{}}
	if _, err := conf.Check(dir, fset, files, info); err != nil {
		return nil, err
	}
	var list []fault
	for i, f := range files {
		src, err := os.ReadFile(names[i])
		if err != nil {
			return nil, err
		}
		x := &finder{fset: fset, info: info, src: src, file: filepath.Base(names[i]), fixed: map[ast.Node]bool{}}
		for _, d := range f.Decls {
			x.decl(d)
		}
		list = append(list, x.list...)
	}
	for i := range list {
		list[i].id = i + 1
		for k, e := range list[i].edits {
			list[i].edits[k].text = strings.ReplaceAll(e.text, "ID", fmt.Sprint(i+1))
		}
	}
	return list, nil
}

// decl looks through functions, and through numbers of constants.
func (x *finder) decl(d ast.Decl) {
	switch d := d.(type) {
	case *ast.FuncDecl:
		if d.Body != nil {
			x.look(d.Body)
		}
	case *ast.GenDecl:
		if d.Tok == token.CONST {
			ast.Inspect(d, func(n ast.Node) bool {
				if l, ok := n.(*ast.BasicLit); ok && (l.Kind == token.INT || l.Kind == token.FLOAT) {
					x.declared(l)
				}
				return true
			})
		}
	}
}

// look goes through the body of a function.
func (x *finder) look(body ast.Node) {
	ast.Inspect(body, func(n ast.Node) bool {
		if n == nil {
			x.depth--
			return true
		}
		if x.fixed[n] || x.stops(n) || !x.node(n) {
			return false
		}
		x.depth++
		return true
	})
}

// stops tells where no fault makes a wrong result: what only ends work with its context, reserves room, is as far as
// can be, is a block's size, or spreads numbers over a table.
func (x *finder) stops(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.IfStmt:
		return returns(n) && strings.Contains(x.text(n.Cond), "Err() != nil")
	case *ast.CallExpr:
		switch x.text(n.Fun) {
		case "make", "math.Inf":
			return true
		case "split.Range", "split.InBlocks":
			x.fixed[n.Args[len(n.Args)-2]] = true
		}
	case *ast.ReturnStmt: // nobody looks at what comes with a false
		if k := len(n.Results) - 1; k > 0 && x.text(n.Results[k]) == "false" {
			for _, r := range n.Results[:k] {
				x.fixed[r] = true
			}
		}
	case *ast.BinaryExpr:
		return spreads.MatchString(x.text(n))
	}
	return false
}

// spreads finds the odd numbers of 64 bits by which hashes are multiplied.
var spreads = regexp.MustCompile(`0x[0-9a-fA-F]{15,16}\b`)

// node notes what of a node may be otherwise, and tells whether what is in it may be.
func (x *finder) node(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.GenDecl: // its constants have to be so
		return n.Tok != token.CONST
	case *ast.ArrayType:
		return false
	case *ast.CompositeLit:
		if t := x.info.Types[n].Type; t != nil {
			_, isMap := t.Underlying().(*types.Map)
			_, isStruct := t.Underlying().(*types.Struct)
			for _, e := range n.Elts {
				if kv, ok := e.(*ast.KeyValueExpr); ok && !isMap && !isStruct {
					x.fixed[kv.Key] = true
				}
			}
		}
	case *ast.IfStmt:
		if returns(n) {
			x.add(n, "does not return early here", edit{at: x.at(n.Cond.Pos()), text: "mutantOn != ID && (", depth: x.depth},
				edit{at: x.at(n.Cond.End()), text: ")", depth: x.depth, closes: true})
		}
	case ast.Expr:
		if tv := x.info.Types[n]; tv.Value != nil { // a constant, whatever it is made of
			x.constant(n, tv)
			return false
		}
		if b, ok := n.(*ast.BinaryExpr); ok {
			x.binary(b)
		}
	}
	return true
}

// returns tells whether an if does nothing but leave what it stands in.
func returns(n *ast.IfStmt) bool {
	if n.Else != nil || len(n.Body.List) == 0 {
		return false
	}
	switch last := n.Body.List[len(n.Body.List)-1].(type) {
	case *ast.ReturnStmt:
		return true
	case *ast.BranchStmt:
		return last.Tok != token.FALLTHROUGH
	}
	return false
}

// turned are the calls that stand for operators and can be turned over.
var turned = map[token.Token]string{token.ADD: "mutantSum", token.SUB: "mutantDifference", token.MUL: "mutantProduct",
	token.QUO: "mutantQuotient"}

// binary notes a comparison or a sum that may be turned over.
func (x *finder) binary(n *ast.BinaryExpr) {
	from, op, to := x.at(n.Pos()), x.at(n.OpPos), x.at(n.End())
	switch n.Op {
	case token.LSS, token.LEQ, token.GTR, token.GEQ, token.EQL, token.NEQ:
		x.add(n, "turned over: "+x.text(n), edit{at: from, text: "((mutantOn == ID) != (", depth: x.depth},
			edit{at: to, text: "))", depth: x.depth, closes: true})
	case token.ADD, token.SUB, token.MUL, token.QUO:
		if b, ok := x.info.Types[n].Type.Underlying().(*types.Basic); !ok || b.Info()&types.IsNumeric == 0 ||
			b.Info()&types.IsComplex != 0 {
			return
		}
		x.add(n, "the other sign: "+x.text(n), edit{at: from, text: turned[n.Op] + "(ID, ", depth: x.depth},
			edit{at: op, out: len(n.Op.String()), text: ","}, edit{at: to, text: ")", depth: x.depth, closes: true})
	}
}

// least is the smallest number that is changed: those below guard against rounding, and twice as much does too.
const least = 1e-5

// constant notes a number that may be another one.
func (x *finder) constant(n ast.Expr, tv types.TypeAndValue) {
	b, ok := tv.Type.Underlying().(*types.Basic)
	if !ok || b.Info()&types.IsNumeric == 0 || b.Info()&types.IsUntyped != 0 || b.Info()&types.IsComplex != 0 {
		return
	}
	if _, named := tv.Type.(*types.Named); named { // a kind, not a number
		return
	}
	v, _ := constant.Float64Val(constant.ToFloat(tv.Value))
	if v != 0 && math.Abs(v) < least {
		return
	}
	text := x.text(n)
	other := "(" + text + ")*2"
	if v == 0 || b.Info()&types.IsInteger != 0 {
		other = "(" + text + ")+1"
	}
	x.add(n, text+" is "+other, edit{at: x.at(n.Pos()), text: "mutantPick[" + b.Name() + "](ID, ", depth: x.depth},
		edit{at: x.at(n.End()), text: ", " + other + ")", depth: x.depth, closes: true})
}

// declared notes a number of a constant.
func (x *finder) declared(l *ast.BasicLit) {
	other := l.Value + "*2"
	if l.Kind == token.INT {
		other = l.Value + "+1"
	}
	x.add(l, l.Value+" is "+other, edit{at: x.at(l.Pos()), out: len(l.Value), text: "(" + other + ")"})
	x.list[len(x.list)-1].alone = true
}

func (x *finder) at(p token.Pos) int { return x.fset.Position(p).Offset }

// text is what stands there, on one line.
func (x *finder) text(n ast.Node) string {
	return strings.Join(strings.Fields(string(x.src[x.at(n.Pos()):x.at(n.End())])), " ")
}

// add notes a fault.
func (x *finder) add(n ast.Node, what string, edits ...edit) {
	line := x.fset.Position(n.Pos()).Line
	text := strings.TrimSpace(strings.Split(string(x.src), "\n")[line-1])
	x.list = append(x.list, fault{file: x.file, line: line, what: what, text: text, edits: edits})
}
