package web

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/work"
)

// Whatever goes wrong has a status and a sentence of its own, and none of them tells
// where the data folder lies.
func TestEachTroubleHasItsOwnSentence(t *testing.T) {
	at := func(err error) error { return &fs.PathError{Op: "open", Path: "/srv/secret/blobs/ab", Err: err} }
	seen := map[string]error{}
	for _, c := range []struct {
		err    error
		status int
		say    string
	}{
		{at(syscall.ENOSPC), http.StatusInsufficientStorage, "is full"},
		{at(syscall.EACCES), http.StatusInternalServerError, "can’t be written to"},
		{at(syscall.EIO), http.StatusInternalServerError, "look at the disk first"},
		{at(syscall.ENAMETOOLONG), http.StatusUnprocessableEntity, "longer than the disk takes"},
		{&http.MaxBytesError{Limit: maxForm}, http.StatusRequestEntityTooLarge, "form that was sent is larger"},
		{&http.MaxBytesError{Limit: 7 * maxForm}, http.StatusRequestEntityTooLarge, "--max-upload"},
		{work.ErrNotFound, http.StatusNotFound, "nothing at this address"},
		{work.ErrStale, http.StatusConflict, "another window"},
		{errors.New("/srv/secret exploded"), http.StatusInternalServerError, "the log has the details"},
	} {
		status, say := explain(fmt.Errorf("keeping: %w", c.err))
		assert.Equal(t, c.status, status, c.err)
		assert.Contains(t, say, c.say)
		assert.NotContains(t, say, "secret")
		assert.Nil(t, seen[say], "two troubles say: %s", say)
		seen[say] = c.err
	}
}

func TestABrokenEscapeChangesNothing(t *testing.T) {
	c := newClient(t)
	c.bring("quay.obj", quayText)
	r := httptest.NewRequest(http.MethodPost, "/assets/1/source", strings.NewReader("base=0&act=name&name=%zz"))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := c.send(r)
	assert.Equal(t, http.StatusBadRequest, w.Code)
	has(t, w, "two hexadecimal digits")

	w = c.post("/assets/1/source", c.form("act", "leave", "key", strings.Repeat("x", 2*maxForm)))
	assert.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
	has(t, w, "decide by a rule")
	require.Empty(t, c.prepNow().Source.Leave)
}
