package logbook_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// A token lets in by its secret alone, with its role, until it ends or is withdrawn; the secret is kept nowhere.
func TestTokensLetIn(t *testing.T) {
	b := server.Book(t)
	now := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	secret, err := b.AddToken(ctx, "the sheet", logbook.Reader, now.Add(time.Hour))
	require.NoError(t, err)
	other, err := b.AddToken(ctx, "the van", logbook.Keeper, now.Add(time.Hour))
	require.NoError(t, err)
	assert.NotEqual(t, secret, other)
	assert.True(t, strings.HasPrefix(secret, "zincroad_"))
	assert.GreaterOrEqual(t, len(secret), 50, "256 bits of chance in base64")

	got, err := b.TokenOf(ctx, secret, now)
	require.NoError(t, err)
	assert.Equal(t, "the sheet", got.Name)
	assert.True(t, got.Role.May(logbook.Reader))
	assert.False(t, got.Role.May(logbook.Tester))
	_, err = b.TokenOf(ctx, secret, now.Add(2*time.Hour))
	assert.ErrorIs(t, err, logbook.ErrNotFound, "it ended")
	_, err = b.TokenOf(ctx, secret[:len(secret)-1], now)
	assert.ErrorIs(t, err, logbook.ErrNotFound)
	list, err := b.Tokens(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.NotNil(t, list[1].UsedAt)
	assert.Nil(t, list[0].UsedAt)
	require.NoError(t, b.WithdrawToken(ctx, list[1].ID))
	_, err = b.TokenOf(ctx, secret, now)
	assert.ErrorIs(t, err, logbook.ErrNotFound, "it was withdrawn")
	assert.ErrorIs(t, b.WithdrawToken(ctx, list[1].ID), logbook.ErrNotFound, "once")

	for _, wrong := range [][2]string{{"", "reader"}, {"x", "owner"}} {
		_, err := b.AddToken(ctx, wrong[0], logbook.Role(wrong[1]), now)
		assert.ErrorIs(t, err, logbook.ErrRefused)
	}
}
