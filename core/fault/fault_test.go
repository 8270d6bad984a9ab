package fault

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestErrorsSayTheirPlace(t *testing.T) {
	for want, e := range map[string]*Error{
		"a.obj, line 3: a point needs 3 numbers":   AtLine("a.obj", 3, "a point needs %d numbers", 3),
		"a.glb, byte 0: ends early. Send it again": AtByte("a.glb", 0, "ends early").Advise("Send it again"),
		"a.glb: is empty":                          AtByte("a.glb", -1, "is empty"),
		"give it a name":                           Input("give it a name"),
		"a.fbx: is version 9. Export it as version 74": AtByte("a.fbx", -1, "is version 9").Unsupported().Advise(
			"Export it as version 74"),
	} {
		assert.Equal(t, want, e.Error())
	}
	assert.Equal(t, "byte 7: is cut off", AtByte("a.glb", 7, "is cut off").Plain())
	assert.Equal(t, "is empty", AtByte("a.glb", -1, "is empty").Plain())
	assert.Equal(t, "give it a name", Input("give it a name").Plain())
}

// Callers tell the kinds apart through any wrapping, and reach the cause.
func TestKindsAreAskedFor(t *testing.T) {
	for kind, e := range map[Kind]error{
		Damaged: AtLine("a", 1, "x"), Unsupported: AtByte("a", 0, "x").Unsupported(), Limit: AtByte("a", 0, "x").Beyond(),
		Invalid: Input("x"), Missing: New(Missing, "x"), 0: io.EOF,
	} {
		wrapped := fmt.Errorf("while reading: %w", e)
		assert.Equal(t, kind, KindOf(wrapped))
	}
	assert.Equal(t, "limit", Limit.String())
	assert.Equal(t, "fault.Kind(0)", Kind(0).String(), "an error without a kind is noticed")
	made := From(Invalid, fmt.Errorf("odd: %w", io.ErrUnexpectedEOF))
	var e *Error
	require.ErrorAs(t, made, &e)
	assert.ErrorIs(t, made, io.ErrUnexpectedEOF)
	assert.Equal(t, "odd: unexpected EOF", made.Error())
	was := AtByte("a", 0, "x").Unsupported()
	assert.Same(t, was, From(Invalid, was).(*Error), "what is one already keeps its kind")
	assert.NoError(t, From(Invalid, nil))
	assert.True(t, errors.Is(made, io.ErrUnexpectedEOF))
}

func TestLongTextsAreCutBetweenLetters(t *testing.T) {
	for _, letter := range []string{"a", "Ü", "海", "🌊"} {
		s := Shorten(strings.Repeat(letter, 100))
		assert.True(t, utf8.ValidString(s), letter)
		assert.LessOrEqual(t, len(s), 83)
		assert.Greater(t, len(s), 70)
	}
	assert.Equal(t, "short", Shorten("short"))
}
