package api

// StatusOf is the status that an error is answered with.
var StatusOf = statusOf
