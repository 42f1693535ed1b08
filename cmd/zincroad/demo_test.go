package main

import (
	"context"
	"errors"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
	"zincroad/logbook/logbooktest"
)

// A load of the demo that is cut off after some of its runs is completed at the next start, each run once; one
// that is complete, and a logbook with runs of its own, are left alone.
func TestADemoCutOffIsCompleted(t *testing.T) {
	t.Parallel()
	s, err := logbooktest.Start()
	require.NoError(t, err)
	defer s.Stop()
	book, err := logbook.Open(t.Context(), s.URL(t), logbooktest.Quiet())
	require.NoError(t, err)
	defer book.Close()
	ctx, kill := context.WithCancel(t.Context())
	runs := func() int64 {
		n, err := book.Count(t.Context())
		require.NoError(t, err)
		return n
	}
	done := make(chan error, 1)
	go func() { done <- loadDemo(ctx, book, io.Discard) }()
	require.Eventually(t, func() bool { return runs() >= 5 }, 30*time.Second, time.Millisecond)
	kill()
	err = <-done
	if err == nil {
		t.Skip("this machine loads faster than it looks")
	}
	require.True(t, errors.Is(err, context.Canceled) || runs() < 20, err)
	require.NoError(t, loadDemo(t.Context(), book, io.Discard))
	assert.Equal(t, int64(20), runs())
	wanted, plans, err := book.Prepared(t.Context())
	require.NoError(t, err)
	require.NoError(t, book.DeleteRun(t.Context(), 3))
	require.NoError(t, loadDemo(t.Context(), book, io.Discard))
	assert.Equal(t, int64(19), runs(), "what the tester put aside stays aside")
	again, kept, err := book.Prepared(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int{wanted, plans}, []int{again, kept})
}
