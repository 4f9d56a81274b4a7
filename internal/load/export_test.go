package load

// Fit exports fit to the tests.
var Fit = fit
