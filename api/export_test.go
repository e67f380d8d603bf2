package api

// Problem is what an error is answered with.
var Problem = problem
