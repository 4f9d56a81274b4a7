package load

// Outcome is what a load did with its table.
type Outcome string

// The outcomes.
const (
	Created  Outcome = "created"
	Rebuilt  Outcome = "rebuilt"
	Appended Outcome = "appended"
	Emptied  Outcome = "emptied"
	Merged   Outcome = "merged"
)

// newTable reports whether the load made the table.
func (o Outcome) newTable() bool { return o == Created || o == Rebuilt }

// keepsRows reports whether rows of earlier loads stay in the table.
func (o Outcome) keepsRows() bool { return o == Appended || o == Merged }
