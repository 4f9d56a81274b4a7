package database

import (
	"crypto/rand"
	"encoding/hex"
	"strings"
)

// StagePrefix begins the names of staging tables. Random characters follow, and the
// comment of the table bears a mark that says for which table it is. Only a table that
// has both is one of ours, and only a load that holds the lock of that table removes it.
const StagePrefix = "ambertray_stage_"

// NewStage returns a new name for a staging table, in the schema of its table.
func NewStage(name string) string {
	var salt [8]byte
	_, _ = rand.Read(salt[:])
	stage := StagePrefix + hex.EncodeToString(salt[:])
	schema, _, ok := strings.Cut(name, ".")
	if ok {
		return schema + "." + stage
	}
	return stage
}

// StageMark is the comment of a staging table for the table of an identity.
func StageMark(identity string) string { return "ambertray staging table for " + identity }
