package load

import (
	"context"
	"fmt"
	"slices"

	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/source"
)

// noteEncoding names the encoding that a file with invalid bytes looks like, if that is
// not the one of the plan.
func (j *job) noteEncoding(ctx context.Context, out *pass.Outcome) {
	invalid := func(g reject.Group) bool { return g.Reason == record.BadEncoding.String() }
	at := slices.IndexFunc(out.Parts, func(p pass.Part) bool { return p.Rejected > 0 })
	if j.from == nil || at < 0 || !slices.ContainsFunc(out.Rejects.Groups(), invalid) {
		return
	}
	part := &out.Parts[at]
	src, err := j.from.Open(ctx, part.Name, source.Options{})
	if err != nil { // its lines are of several encodings
		return
	}
	defer src.Close()
	name := src.Encoding.Name
	if name != j.tray.Layout.Encoding {
		j.receipt.addNote(note.Of(part.Title(), 0, fmt.Sprintf("looks like %s, and the plan says %s: --encoding %[1]s reads it", name, j.tray.Layout.Encoding)))
	}
}
