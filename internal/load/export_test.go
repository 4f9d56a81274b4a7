package load

// Fit is fit, for the tests.
var Fit = fit
