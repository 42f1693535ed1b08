package web

// Paced is paced, for tests that wait less.
var Paced = paced
