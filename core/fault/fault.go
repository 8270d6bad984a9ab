// Package fault is the one type of error for what came from outside and can't be
// used: a file that is damaged, a choice that can't be meant, a size beyond a limit.
//
// An [*Error] is written for the person who sent it: its message is a whole sentence
// that says which file, where, what was found and what to try. Its [Kind] is for
// programs, which ask with [errors.As] or [KindOf] and never look into the sentence.
// Whatever is not an *Error is a failure of ours, and its text is not for pages.
package fault

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"unicode"
)

// Kind says what sort of thing is wrong. There is no zero Kind, so that an error made
// without one is noticed.
type Kind int

// The kinds of fault.
const (
	// Invalid is a value or a choice that can't be meant.
	Invalid Kind = iota + 1
	// Damaged is a file that breaks the rules of its own format.
	Damaged
	// Unsupported is a file that may be sound and asks for what is not understood.
	Unsupported
	// Limit is something sound that is more than is taken.
	Limit
	// Missing is something that is referred to and not there.
	Missing
)

var kindNames = map[Kind]string{Invalid: "invalid", Damaged: "damaged", Unsupported: "unsupported", Limit: "limit",
	Missing: "missing"}

// String is the kind's stable code, as logs and JSON carry it.
func (k Kind) String() string {
	if s, ok := kindNames[k]; ok {
		return s
	}
	return fmt.Sprintf("fault.Kind(%d)", int(k))
}

// Error is one fault. File, Line and Offset say where it is, as far as that is known;
// an Error about no file leaves File empty and is only its sentence.
type Error struct {
	Kind   Kind
	File   string
	Line   int    // from 1; 0 when the place is an offset or not known
	Offset int64  // byte from 0; -1 when not known. Only meant when File is set
	What   string // what was found and what was expected
	Try    string // what to do about it, "" when nothing can be advised
	Cause  error  // what it was made of, nil when it was seen here
}

// Error is the whole sentence.
func (e *Error) Error() string {
	if e.File == "" {
		return e.say()
	}
	if p := e.place(); p != "" {
		return e.File + ", " + p + ": " + e.say()
	}
	return e.File + ": " + e.say()
}

// Plain is the sentence without the file's name, for where that stands beside it.
func (e *Error) Plain() string {
	if p := e.place(); e.File != "" && p != "" {
		return p + ": " + e.say()
	}
	return e.say()
}

// place is where in the file it is, "" when that is not known.
func (e *Error) place() string {
	switch {
	case e.Line > 0:
		return fmt.Sprintf("line %d", e.Line)
	case e.Offset >= 0:
		return fmt.Sprintf("byte %d", e.Offset)
	}
	return ""
}

// say is the sentence with its cause, without place and advice.
func (e *Error) say() string {
	if e.Try == "" {
		return e.What
	}
	return e.What + ". " + e.Try
}

// Unwrap gives the cause.
func (e *Error) Unwrap() error { return e.Cause }

// Advise adds what to try and returns the same error.
func (e *Error) Advise(try string) *Error {
	e.Try = try
	return e
}

// Unsupported marks the error as one of what is not understood, and returns it.
func (e *Error) Unsupported() *Error {
	e.Kind = Unsupported
	return e
}

// Beyond marks the error as one of a limit, and returns it.
func (e *Error) Beyond() *Error {
	e.Kind = Limit
	return e
}

// New makes an error about no file.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Offset: -1, What: fmt.Sprintf(format, args...)}
}

// Input makes an error about what somebody typed or chose.
func Input(format string, args ...any) *Error { return New(Invalid, format, args...) }

// From gives err as an *Error: itself when it is one already, else one of the kind
// with the text of err as its sentence and err as its cause. A nil err stays nil.
func From(kind Kind, err error) error {
	var e *Error
	if err == nil || errors.As(err, &e) {
		return err
	}
	return &Error{Kind: kind, Offset: -1, What: err.Error(), Cause: err}
}

// AtLine makes an error of a damaged file at a line.
func AtLine(file string, line int, format string, args ...any) *Error {
	return &Error{Kind: Damaged, File: file, Line: line, Offset: -1, What: fmt.Sprintf(format, args...)}
}

// AtByte makes an error of a damaged file at an offset; -1 for the file as a whole.
func AtByte(file string, offset int64, format string, args ...any) *Error {
	return &Error{Kind: Damaged, File: file, Offset: offset, What: fmt.Sprintf(format, args...)}
}

// KindOf is the kind of the first *Error in err's chain, 0 when there is none.
func KindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return 0
}

// Quote shortens and quotes a piece of a file for a message.
func Quote(b []byte) string { return fmt.Sprintf("%q", Shorten(string(b))) }

// Shown makes a name from a file fit for a message: valid UTF-8, with a sign for what is not seen, and short.
func Shown(s string) string {
	return Shorten(strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) {
			return '�'
		}
		return r
	}, strings.ToValidUTF8(s, "�")))
}

// Shorten cuts a text for a message to at most 80 bytes, never within a letter.
func Shorten(s string) string {
	const most = 80
	if len(s) <= most {
		return s
	}
	cut := 0
	for i := range s {
		if i > most {
			break
		}
		cut = i
	}
	return s[:cut] + "…"
}

// JSON says in words of JSON what a value of a Go type is written as: "a number", "a list".
func JSON(t reflect.Type) string {
	switch t.Kind() {
	case reflect.String:
		return "a text"
	case reflect.Bool:
		return "true or false"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.Map, reflect.Struct:
		return "an object"
	}
	return "a number"
}
