// Package tsql reads the part of Transact-SQL that Amber Tray and its tests send to a
// server, into a tree. Whatever it does not know is an error: the stand-in must not
// pass over a statement that nobody thought of.
package tsql

// Type is the type of a column or of a cast, in lower case: varchar with a Size, or
// Max for varchar(max).
type Type struct {
	Name        string
	Size, Scale int
	Sized       bool // a size is written, which may be 0
	Max         bool
	Collate     string
}

// The expressions.
type (
	// Lit is a constant: a number (n), a text (s), a national text (N), bytes in
	// hexadecimal (b) or NULL (0).
	Lit struct {
		Kind byte
		Text string
	}
	// Col is the name of a column with what stands before it.
	Col struct{ Parts []string }
	// Star is all columns, of one table if it is named.
	Star struct{ Table string }
	// Var is a variable, with its @.
	Var struct{ Name string }
	// Unary is a sign or NOT before an expression.
	Unary struct {
		Op string
		X  Expr
	}
	// Binary is an operation, a comparison, AND or OR.
	Binary struct {
		Op   string
		L, R Expr
	}
	// Call is a call of a function, whose name is in lower case.
	Call struct {
		Name     string
		Args     []Expr
		Distinct bool
		Over     *Over
	}
	// Over is a window.
	Over struct {
		Partition []Expr
		Order     []Order
	}
	// Cast is CAST, CONVERT or TRY_CAST.
	Cast struct {
		X    Expr
		Type Type
		Try  bool
	}
	// Case is CASE; Operand is nil where each WHEN has a condition.
	Case struct {
		Operand Expr
		When    [][2]Expr
		Else    Expr
	}
	// In is IN, with a list or a query.
	In struct {
		X     Expr
		List  []Expr
		Query *Select
		Not   bool
	}
	// Between is BETWEEN.
	Between struct {
		X, Low, High Expr
		Not          bool
	}
	// Like is LIKE.
	Like struct {
		X, Pattern, Escape Expr
		Not                bool
	}
	// IsNull is IS NULL.
	IsNull struct {
		X   Expr
		Not bool
	}
	// Exists is EXISTS.
	Exists struct{ Query *Select }
	// Sub is a query for one value.
	Sub struct{ Query *Select }
	// Collated is an expression with a collation.
	Collated struct {
		X    Expr
		Name string
	}
	// Expr is any of them.
	Expr any
)

// Order is a term of ORDER BY.
type Order struct {
	X    Expr
	Desc bool
}

// Item is a column of a query.
type Item struct {
	X     Expr
	Alias string
}

// Source is a table or a query in FROM, and how it is joined to those before.
type Source struct {
	Name  []string
	Sub   *Select
	Rows  [][]Expr // of VALUES
	Alias string
	Names []string // of the columns of a query
	Join  string   // "", ",", "JOIN", "LEFT JOIN", "CROSS JOIN"
	On    Expr
}

// Select is a query.
type Select struct {
	With     []CTE
	Top      Expr
	Distinct bool
	Items    []Item
	Into     []string
	From     []Source
	Where    Expr
	Group    []Expr
	Having   Expr
	Op       string // UNION, UNION ALL, EXCEPT, INTERSECT before Next
	Next     *Select
	Order    []Order
	Offset   Expr
	Fetch    Expr
}

// CTE is a query with a name, before another.
type CTE struct {
	Name  string
	Query *Select
}

// Column is a column of a table definition.
type Column struct {
	Name     string
	Type     Type
	Identity bool
	Seed     int64
	NotNull  bool
	Null     bool
	Default  Expr
	Computed Expr
	Text     string // of the default or what it is computed of
}

// Constraint is a key, a foreign key or a check.
type Constraint struct {
	Name       string
	Kind       string // PK, UQ, F, C
	Columns    []string
	Refers     []string // the table
	RefColumns []string
	Check      Expr
	Text       string // of the check
	OnDelete   string
}

// The statements.
type (
	// CreateTable makes a table.
	CreateTable struct {
		Name        []string
		Columns     []Column
		Constraints []Constraint
	}
	// CreateIndex makes an index.
	CreateIndex struct {
		Name    string
		Unique  bool
		Table   []string
		Columns []string
		Where   Expr
	}
	// CreateSchema makes a schema.
	CreateSchema struct{ Name string }
	// CreateDatabase makes a database.
	CreateDatabase struct{ Name, Collate string }
	// CreateTrigger makes a trigger that runs after rows are inserted.
	CreateTrigger struct {
		Name  string
		Table []string
		Body  string
	}
	// Drop drops a TABLE, SCHEMA, INDEX, TRIGGER or DATABASE.
	Drop struct {
		What     string
		Name     []string
		IfExists bool
	}
	// AlterTable adds constraints or columns, drops columns, or changes the type of one.
	AlterTable struct {
		Retyped     *Column
		Name        []string
		Columns     []Column
		Constraints []Constraint
		DropColumns []string
	}
	// Insert inserts rows.
	Insert struct {
		Table   []string
		Columns []string
		Rows    [][]Expr
		Query   *Select
	}
	// Update changes rows. Table may be an alias of From.
	Update struct {
		Table []string
		Set   []Set
		From  []Source
		Where Expr
	}
	// Delete removes rows.
	Delete struct {
		With   []CTE
		Table  []string
		From   []Source
		Output []string // columns of the deleted rows
		Where  Expr
	}
	// Truncate empties a table.
	Truncate struct{ Table []string }
	// Transaction is BEGIN, COMMIT, ROLLBACK or SAVE with a name.
	Transaction struct{ What, Name string }
	// SetOption sets an option of the session: its words, and its value.
	SetOption struct {
		Name  string
		Table []string
		Value string
	}
	// SetVar gives a variable a value.
	SetVar struct {
		Name string
		X    Expr
	}
	// Declare declares a variable.
	Declare struct {
		Name string
		Type Type
		X    Expr
	}
	// Exec calls a procedure.
	Exec struct {
		Result string // the variable that gets the return code
		Name   []string
		Args   []Arg
	}
	// If runs a statement on a condition.
	If struct {
		Condition  Expr
		Then, Else []Statement
	}
	// Throw raises an error.
	Throw struct{ Number, Message Expr }
	// Raise is RAISERROR.
	Raise struct{ Message, Severity Expr }
	// Kill ends a session.
	Kill struct{ Session int }
	// Use changes the database.
	Use struct{ Name string }
	// InsertBulk announces rows.
	InsertBulk struct {
		Table   []string
		Columns []Column
		Options map[string]string
	}
	// Statement is any of them, or a *Select.
	Statement any
)

// Set is an assignment of an UPDATE.
type Set struct {
	Column string
	X      Expr
}

// Arg is an argument of a procedure.
type Arg struct {
	Name   string
	X      Expr
	Output bool
}
