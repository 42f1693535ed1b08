package web

// Paced is paced, for a test that does not wait as long as a phone may.
var Paced = paced
