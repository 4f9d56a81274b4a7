package databasetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// Ask returns the one value that a query finds.
func Ask(to database.Target, query string) (string, error) {
	found, err := to.Query(context.Background(), query)
	if err != nil {
		return "", err
	}
	return found[0][0], nil
}

// JSON compares the JSON that is sent to a column, within a limit, with the text that the server
// returns for it: some odd texts, numbers, and random ones. What the server does not take is rejected,
// and so are more levels than the given ones.
func JSON(t *testing.T, limit *table.Limit, levels int, server func(text string) (string, error), numbers ...string) {
	texts := append(numbers,
		`"\u00e9\/\b\f\n\r\t\"\\\u001f\u007f"`, `"\ud83d\ude00"`, `"\ud83d"`, `"\ude00"`, `"\ud83dx"`, `"\ud83d\n"`, `"\ud83d\u0041"`, `"\\u0000"`,
		" [ ] ", "{}", `{"bb":1,"a":[{},null,true,false],"é":2,"":3,"B":4}`, "", "nul", "[1,]", `{"a"}`, "1 2", "01", "+1", "1.", ".5", "NaN", `"a`, "["+`"tab	"`+"]",
		strings.Repeat("[", levels)+strings.Repeat("]", levels),
	)
	random := rand.New(rand.NewPCG(7, 7))
	for range 300 {
		texts = append(texts, randomJSON(random, 4))
	}
	for _, text := range texts {
		kept, err := server(text)
		canonical, why := limit.Text([]byte(text))
		if err != nil {
			require.NotEmpty(t, why, "%s: %v", text, err)
			continue
		}
		require.Empty(t, why, text)
		require.Equal(t, kept, string(canonical), text)
		again, err := server(kept)
		require.NoError(t, err, kept)
		require.Equal(t, kept, again)
	}
	for _, text := range []string{`{"a": 1, "b": 2, "\u0061": 3}`, `"\u0000"`, strings.Repeat("[", levels+1) + strings.Repeat("]", levels+1)} {
		_, why := limit.Text([]byte(text))
		require.NotEmpty(t, why, "what would lose a value or end the load")
	}
}

// randomJSON returns random JSON, nested at most to the given number of levels.
func randomJSON(random *rand.Rand, levels int) string {
	var parts []string
	n := random.IntN(10)
	switch {
	case n < 4:
		return fmt.Sprintf("%d.%0*de%d", random.IntN(3000)-1500, 1+random.IntN(9), random.IntN(10), random.IntN(40)-20)
	case n < 6 || levels == 0:
		return strconv.Quote(string([]rune{rune(' ' + random.IntN(90)), rune(0xa1 + random.IntN(900)), 'x'}))
	case n < 8:
		for range random.IntN(4) {
			parts = append(parts, randomJSON(random, levels-1))
		}
		return "[ " + strings.Join(parts, " ,") + "]"
	}
	for i := range random.IntN(5) {
		parts = append(parts, fmt.Sprintf("%q : %s", strings.Repeat(string(rune('a'+random.IntN(20))), 1+random.IntN(3))+fmt.Sprint(i), randomJSON(random, levels-1)))
	}
	return "{" + strings.Join(parts, ",\n") + "}"
}
