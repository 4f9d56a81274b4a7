package table

// Figures are what is known of the values of one column. They are computed of
// the records on their way in and asked of the table afterwards, and written
// so that both can be compared as they are: numbers in decimal, dates and
// times as ISO 8601, text as it stands. Min and Max are empty without a value.
type Figures struct {
	Nulls int64  `json:"nulls"`
	Min   string `json:"min"`
	Max   string `json:"max"`
	// Sum is exact: of whole numbers and decimals their sum; of booleans the
	// number of true ones; of dates and times that of their days or
	// microseconds; of doubles that of their IEEE 754 bits; of text that of
	// the bytes of its UTF-8.
	Sum string `json:"sum"`
}
