package postgres

// Encoder lets tests check the wire format.
var Encoder = encoder{}
