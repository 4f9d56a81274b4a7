package cli

import (
	"context"
	"fmt"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/term"
)

// shareState is one share of a load, for people and scripts.
type shareState struct {
	Share    int        `json:"share"`
	Source   string     `json:"source"`
	First    int64      `json:"first_record"`
	Last     int64      `json:"last_record"`
	State    string     `json:"state"`
	Loader   *string    `json:"loader"` // null for nobody
	Loaded   int64      `json:"loaded"`
	Rejected int64      `json:"rejected"`
	ProvedAt *time.Time `json:"proved_at"`
}

// showShares shows who has loaded which share of a load.
func (a *app) showShares(ctx context.Context, tgt database.Target, id string) error {
	e, err := ledger.Find(ctx, tgt, id)
	if err != nil {
		return err
	}
	if e.Shares == 0 {
		return fmt.Errorf("load %s is not a shared load", id)
	}
	shares, err := ledger.Shares(ctx, tgt, id)
	if err != nil {
		return err
	}
	now, err := ledger.Clock(ctx, tgt)
	if err != nil {
		return err
	}
	result := struct {
		Load   ledger.Entry `json:"load"`
		Shares []shareState `json:"shares"`
	}{Load: e}
	for i := range shares {
		result.Shares = append(result.Shares, describeShare(&e, &shares[i], now))
	}
	return a.show(result, func() { a.drawShares(&e, result.Shares) })
}

func describeShare(e *ledger.Entry, s *ledger.Share, now int64) shareState {
	state := shareState{Share: s.Number, Source: e.Parts[s.Part].Name, First: s.After + 1, Last: s.Last, State: "free"}
	switch {
	case s.Proof != nil:
		state.State, state.Loader, state.ProvedAt = "proved", &s.Proof.Loader, &s.Proof.At
		state.Loaded, state.Rejected = s.Proof.Loaded, s.Proof.Rejected
	case s.Until >= now:
		state.State, state.Loader = "leased", &s.Loader
	case s.Until > 0:
		state.State, state.Loader = "expired", &s.Loader
	}
	return state
}

func (a *app) drawShares(e *ledger.Entry, shares []shareState) {
	p := a.print
	p.Fact("load", "%s into %s, %s · %s", p.Bold(e.ID), e.Table, e.State, term.Amount(int64(e.Shares), "share"))
	p.Line("")
	var rows [][]string
	for _, s := range shares {
		loader, at := "", ""
		if s.Loader != nil {
			loader = *s.Loader
		}
		if s.ProvedAt != nil {
			at = s.ProvedAt.UTC().Format("2006-01-02 15:04:05")
		}
		state := s.State
		if state != "proved" {
			state = p.Amber(state)
		}
		rows = append(rows, []string{fmt.Sprint(s.Share), s.Source, term.Count(s.First) + " to " + term.Count(s.Last), state, term.Count(s.Loaded), term.Count(s.Rejected), loader, p.Faint(at)})
	}
	p.Table([]term.Column{
		{Title: "share", Right: true}, {Title: "source", Max: 40}, {Title: "records", Right: true}, {Title: ""},
		{Title: "loaded", Right: true}, {Title: "rejected", Right: true}, {Title: "loader", Max: 48}, {Title: "proved (UTC)"},
	}, rows)
}
