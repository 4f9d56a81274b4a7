package dialect

import "strings"

func words(list string) map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields(list) {
		set[w] = true
	}
	return set
}

// postgresWords are the words that PostgreSQL's manual marks as reserved.
const postgresWords = `all analyse analyze and any array as asc asymmetric authorization
binary both case cast check collate collation column concurrently constraint create cross
current_catalog current_date current_role current_schema current_time current_timestamp
current_user default deferrable desc distinct do else end except false fetch for foreign
freeze from full grant group having ilike in initially inner intersect into is isnull join
lateral leading left like limit localtime localtimestamp natural not notnull null offset on
only or order outer overlaps placing primary references returning right select session_user
similar some symmetric system_user table tablesample then to trailing true union unique user
using variadic verbose when where window with`

// sqliteWords are the keywords that SQLite does not take as a bare name.
const sqliteWords = `add all alter and as autoincrement between case check collate commit
constraint create default deferrable delete distinct drop else escape except exists foreign
from group having if in index insert intersect into is isnull join limit not nothing notnull
null on or order primary references returning select set table then to transaction union
unique update using values when where`
