package logbook_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zincroad/logbook"
)

// A crew begins with a keeper, to whom everything goes that was there; it never loses its last one. Names are the same
// however they are written (RFC 8266, section 3's examples of what compares equal).
func TestACrewBeginsAndKeepsAKeeper(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	ctx := t.Context()
	at, err := b.Door(ctx)
	require.NoError(t, err)
	assert.True(t, at.Open())
	_, err = b.AddPerson(ctx, "Maren", logbook.Tester, "")
	require.ErrorIs(t, err, logbook.ErrRefused)
	require.NoError(t, b.SetPassword(ctx, "hash"))
	ada, err := b.AddPerson(ctx, "  Ada  Wend ", logbook.Keeper, "h")
	require.NoError(t, err)
	assert.Equal(t, "Ada Wend", ada.Name)
	row, err := b.Run(ctx, 1)
	require.NoError(t, err)
	require.NotNil(t, row.OwnerID)
	assert.Equal(t, ada.ID, *row.OwnerID)
	_, err = b.AddPerson(ctx, "ADA wend", logbook.Tester, "")
	require.ErrorIs(t, err, logbook.ErrTaken)
	found, err := b.PersonCalled(ctx, "ada wend")
	require.NoError(t, err)
	assert.Equal(t, ada.ID, found.ID)
	for _, bad := range []string{"", "   ", "\x07", string(make([]rune, 80))} {
		_, err = b.AddPerson(ctx, bad, logbook.Reader, "")
		require.Error(t, err, "%q", bad)
	}

	require.ErrorIs(t, b.SetRole(ctx, ada.ID, logbook.Tester), logbook.ErrRefused)
	require.ErrorIs(t, b.Leave(ctx, ada.ID), logbook.ErrRefused)
	bo, err := b.AddPerson(ctx, "Bo", logbook.Keeper, "h")
	require.NoError(t, err)
	require.NoError(t, b.SetRole(ctx, ada.ID, logbook.Tester))
	again, err := b.Person(ctx, ada.ID)
	require.NoError(t, err)
	assert.Greater(t, again.Epoch, ada.Epoch, "her sessions end")
	require.ErrorIs(t, b.Leave(ctx, bo.ID), logbook.ErrRefused)
	require.NoError(t, b.Leave(ctx, ada.ID))
	_, err = b.Person(ctx, ada.ID)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	_, err = b.AddPerson(ctx, "Ada Wend", logbook.Reader, "")
	require.NoError(t, err, "the name is free again")
}

// A link lets in once, until it ends, and another one for the same person ends it.
func TestInvitationsLetInOnce(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	ctx, now := t.Context(), time.Now()
	ada, err := b.AddPerson(ctx, "Ada", logbook.Keeper, "h")
	require.NoError(t, err)
	secret, err := b.Invite(ctx, logbook.Invitation{Role: logbook.Tester, EndsAt: now.Add(time.Hour)})
	require.NoError(t, err)
	_, err = b.Accept(ctx, secret, "Bo", "h", now.Add(2*time.Hour))
	require.ErrorIs(t, err, logbook.ErrNotFound, "it has ended")
	_, err = b.Accept(ctx, secret, "ada", "h", now)
	require.ErrorIs(t, err, logbook.ErrTaken)
	bo, err := b.Accept(ctx, secret, "Bo", "h", now)
	require.NoError(t, err, "a taken name uses nothing up")
	assert.Equal(t, logbook.Tester, bo.Role)
	_, err = b.Accept(ctx, secret, "Cy", "h", now)
	require.ErrorIs(t, err, logbook.ErrNotFound)

	first, err := b.Invite(ctx, logbook.Invitation{PersonID: bo.ID, EndsAt: now.Add(time.Hour)})
	require.NoError(t, err)
	second, err := b.Invite(ctx, logbook.Invitation{PersonID: bo.ID, EndsAt: now.Add(time.Hour)})
	require.NoError(t, err)
	_, err = b.Accept(ctx, first, "", "new", now)
	require.ErrorIs(t, err, logbook.ErrNotFound)
	same, err := b.Accept(ctx, second, "somebody else", "new", now)
	require.NoError(t, err)
	assert.Equal(t, bo.ID, same.ID)
	assert.Equal(t, "Bo", same.Name)
	assert.Equal(t, "new", same.Hash)
	assert.Greater(t, same.Epoch, bo.Epoch)
	_ = ada
}

// What the pages refuse, the tables refuse: who reads notes nothing, a tester changes own runs and shared ones and
// leaves cars as they are, and what is worked out is nobody's.
func TestTablesRefuseWhatIsNotTheirs(t *testing.T) {
	b := server.BookFrom(t, demoBook)
	ctx := t.Context()
	ada, err := b.AddPerson(ctx, "Ada", logbook.Keeper, "h")
	require.NoError(t, err)
	bo, err := b.AddPerson(ctx, "Bo", logbook.Tester, "h")
	require.NoError(t, err)
	cy, err := b.AddPerson(ctx, "Cy", logbook.Reader, "h")
	require.NoError(t, err)
	asAda, asBo, asCy := logbook.By(ctx, ada.Actor()), logbook.By(ctx, bo.Actor()), logbook.By(ctx, cy.Actor())
	note := func(as string) error {
		row, err := b.Run(ctx, 1)
		require.NoError(t, err)
		row.Weather = as
		switch as {
		case "ada":
			return b.SaveDetails(asAda, row)
		case "bo":
			return b.SaveDetails(asBo, row)
		}
		return b.SaveDetails(asCy, row)
	}
	require.NoError(t, note("ada"))
	require.ErrorIs(t, note("bo"), logbook.ErrForbid)
	require.ErrorIs(t, note("cy"), logbook.ErrForbid)
	require.ErrorIs(t, b.DeleteRun(asBo, 1), logbook.ErrForbid)
	require.NoError(t, b.Share(asAda, 1, true))
	require.NoError(t, note("bo"))
	require.ErrorIs(t, note("cy"), logbook.ErrForbid)
	require.ErrorIs(t, b.Share(asBo, 2, true), logbook.ErrForbid)

	car, err := b.Car(ctx, 1)
	require.NoError(t, err)
	car.Note = "by a tester"
	require.ErrorIs(t, b.SaveCar(asBo, car), logbook.ErrForbid)
	require.NoError(t, b.SaveCar(asAda, car))
	require.NoError(t, b.SaveCar(asBo, &logbook.Car{Name: "Elder 60"}), "a car that is met for the first time")
	require.ErrorIs(t, b.SaveCar(asCy, &logbook.Car{Name: "Elder 61"}), logbook.ErrForbid)

	row, err := b.Run(ctx, 3)
	require.NoError(t, err)
	_, err = b.Results(asCy, row)
	require.NoError(t, err, "who reads has figures worked out")
	changes, err := b.Changes(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, "Bo", changes[0].Actor)
	require.NotNil(t, changes[0].PersonID)
	assert.Equal(t, bo.ID, *changes[0].PersonID)
}
