package database

import (
	"fmt"
	"strings"
)

// CollationRemark explains why keys were found equal whose text differs: by what the
// collation of a column leaves out of a comparison, which is not empty.
func CollationRemark(column, collation string, leftOut []string) string {
	last := len(leftOut) - 1
	text := leftOut[last]
	if last > 0 {
		text = strings.Join(leftOut[:last], ", ") + " or " + text
	}
	return fmt.Sprintf("the key column %s has the collation %s, in which values that differ only in %s are equal", column, collation, text)
}
