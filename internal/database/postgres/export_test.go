package postgres

// Encoder lets tests look at the wire format.
var Encoder = encoder{}
