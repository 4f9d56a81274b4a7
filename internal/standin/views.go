package standin

import (
	"fmt"
	"slices"
	"strings"
)

// view is a view of the catalog. Its rows are made of the definitions whenever a query
// asks for it.
type view struct {
	schema, name string
	columns      []viewColumn
	rows         func(s *session, add func(values ...any)) error
	always       bool // they may change without a change of definitions
}

type viewColumn struct {
	name string
	typ  Type
}

// viewColumns reads the columns of a view: their names, each with i for a number, b for
// a bit, n for a name or t for a long text before it.
func viewColumns(text string) (list []viewColumn) {
	types := map[byte]Type{'i': intType, 'b': bitType, 'n': nameType, 't': {Name: "nvarchar", Max: true}}
	for f := range strings.FieldsSeq(text) {
		list = append(list, viewColumn{f[2:], types[f[0]]})
	}
	return list
}

// viewOf returns the view of a name, or nil.
func viewOf(parts []string) *view {
	if len(parts) < 2 {
		return nil
	}
	for _, v := range views() {
		if strings.EqualFold(parts[len(parts)-2], v.schema) && strings.EqualFold(parts[len(parts)-1], v.name) {
			return v
		}
	}
	return nil
}

// fillView makes the rows of a view, and returns the name of the table that has them.
func (s *session) fillView(v *view) (string, error) {
	name := "temp.v_" + v.schema + "_" + v.name
	var columns, marks []string
	for _, c := range v.columns {
		columns, marks = append(columns, `"`+c.name+`" `+columnType(c.typ)), append(marks, "?")
	}
	err := s.query("CREATE TABLE IF NOT EXISTS "+name+" ("+strings.Join(columns, ", ")+")", nil)
	if err != nil {
		return "", err
	}
	now := s.server.definitions.Load()
	at, ok := s.filled[name]
	if ok && at == now && !v.always {
		return name, nil
	}
	s.filled[name] = now
	err = s.query("DELETE FROM "+name, nil)
	if err != nil {
		return "", err
	}
	insert, err := s.db.Prepare("INSERT INTO " + name + " VALUES (" + strings.Join(marks, ", ") + ")")
	if err != nil {
		return "", err
	}
	var failed error
	err = v.rows(s, func(values ...any) {
		for i, x := range values {
			switch x := x.(type) {
			case nil:
				insert.BindNull(i + 1)
			case int64:
				insert.BindInt64(i+1, x)
			case int:
				insert.BindInt64(i+1, int64(x))
			case bool:
				insert.BindBool(i+1, x)
			case string:
				insert.BindText(i+1, x)
			}
		}
		_, err := insert.Step()
		if err != nil {
			failed = err
		}
		_ = insert.Reset()
	})
	if failed != nil {
		err = failed
	}
	return name, err
}

// eachTable runs a function for every table of the database.
func eachTable(s *session, do func(t *tableDef)) error {
	all, err := s.tables()
	for _, t := range all {
		do(t)
	}
	return err
}

// objectID is the number of a table; those of its constraints follow from it.
func (t *tableDef) objectID() int64 {
	if t.Temp {
		return -t.ID * 1000
	}
	return t.ID * 1000
}

func (t *tableDef) partID(kind string, i int) int64 {
	return t.objectID() + int64(i) + map[string]int64{"F": 100, "C": 300, "K": 500, "T": 700, "D": 800}[kind]
}

func (t *tableDef) schemaID(s *session) int64 {
	n, _ := s.number("SELECT id FROM main.schemas WHERE name = ?", t.Schema)
	return n
}

// views are all that the stand-in has.
func views() []*view { return slices.Concat(tableViews(), ruleViews(), serverViews()) }

// tableViews are about tables and their columns.
func tableViews() []*view {
	return []*view{
		{"sys", "schemas", viewColumns("i:schema_id n:name"), schemaRows, false},
		{"sys", "objects", viewColumns("i:object_id n:name i:schema_id n:type i:parent_object_id b:is_ms_shipped"), objectRows, false},
		{"sys", "tables", viewColumns("i:object_id n:name i:schema_id n:type b:is_memory_optimized b:is_external i:temporal_type"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) { add(t.objectID(), t.Name, t.schemaID(s), "U", false, false, 0) })
		}, false},
		{"sys", "columns", viewColumns("i:object_id n:name i:column_id i:user_type_id i:system_type_id i:max_length i:precision i:scale n:collation_name b:is_nullable b:is_identity b:is_computed i:default_object_id i:generated_always_type"), columnRows, false},
		{"sys", "types", viewColumns("i:user_type_id i:system_type_id n:name b:is_user_defined"), func(_ *session, add func(...any)) error {
			for i, name := range typeNames {
				add(i+1, i+1, name, false)
			}
			return nil
		}, false},
	}
}

// ruleViews are about what hangs on tables.
func ruleViews() []*view {
	return []*view{
		{"sys", "indexes", viewColumns("i:object_id n:name i:index_id i:type n:type_desc b:is_unique b:is_primary_key b:is_unique_constraint b:has_filter t:filter_definition b:ignore_dup_key b:is_disabled"), indexRows, false},
		{"sys", "index_columns", viewColumns("i:object_id i:index_id i:index_column_id i:column_id i:key_ordinal b:is_included_column"), indexColumnRows, false},
		{"sys", "key_constraints", viewColumns("i:object_id n:name i:parent_object_id n:type i:unique_index_id"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				for i, k := range t.Keys {
					if k.Kind == "PK" || k.Kind == "UQ" {
						add(t.partID("K", i), k.Name, t.objectID(), k.Kind, t.indexID(i))
					}
				}
			})
		}, false},
		{"sys", "check_constraints", viewColumns("i:object_id n:name i:parent_object_id t:definition b:is_disabled b:is_not_trusted"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				for i, c := range t.Checks {
					add(t.partID("C", i), c.Name, t.objectID(), c.Text, false, false)
				}
			})
		}, false},
		{"sys", "computed_columns", viewColumns("i:object_id n:name i:column_id t:definition"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				for i := range t.Columns {
					c := &t.Columns[i]
					if c.Computed != "" {
						add(t.objectID(), c.Name, c.ID, c.Computed)
					}
				}
			})
		}, false},
		{"sys", "foreign_keys", viewColumns("i:object_id n:name i:parent_object_id i:referenced_object_id i:delete_referential_action n:delete_referential_action_desc b:is_disabled"), foreignRows, false},
		{"sys", "foreign_key_columns", viewColumns("i:constraint_object_id i:constraint_column_id i:parent_object_id i:parent_column_id i:referenced_object_id i:referenced_column_id"), foreignColumnRows, false},
		{"sys", "triggers", viewColumns("i:object_id n:name i:parent_id b:is_disabled b:is_instead_of_trigger"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				for i, x := range t.Triggers {
					add(t.partID("T", i), x.Name, t.objectID(), false, false)
				}
			})
		}, false},
		{"sys", "trigger_events", viewColumns("i:object_id i:type n:type_desc"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				for i := range t.Triggers {
					add(t.partID("T", i), 1, "INSERT")
				}
			})
		}, false},
		{"sys", "default_constraints", viewColumns("i:object_id n:name i:parent_object_id i:parent_column_id t:definition"), defaultRows, false},
		{"sys", "extended_properties", viewColumns("i:class n:name i:major_id i:minor_id t:value"), propertyRows, false},
	}
}

// serverViews are about databases, sessions and rights, and those of the standard.
func serverViews() []*view {
	return []*view{
		{"sys", "databases", viewColumns("i:database_id n:name i:compatibility_level n:collation_name b:is_read_only n:recovery_model_desc i:snapshot_isolation_state b:is_read_committed_snapshot_on"), databaseRows, true},
		{"sys", "database_files", viewColumns("i:file_id n:name i:type n:type_desc i:size i:max_size i:growth"), func(s *session, add func(...any)) error {
			add(1, s.database, 0, "ROWS", 1024, -1, 8192)
			add(2, s.database+"_log", 1, "LOG", 1024, s.server.options.MaxLog, 8192)
			return nil
		}, true},
		{"sys", "dm_exec_sessions", viewColumns("i:session_id n:login_name n:program_name n:host_name"), sessionRows, true},
		{"sys", "sql_expression_dependencies", viewColumns("i:referencing_id i:referenced_id"), func(*session, func(...any)) error { return nil }, false},
		{"sys", "database_permissions", viewColumns("i:class i:major_id i:grantee_principal_id n:permission_name"), func(*session, func(...any)) error { return nil }, false},
		{"sys", "database_principals", viewColumns("i:principal_id n:name"), func(*session, func(...any)) error { return nil }, false},
		{"sys", "partitions", viewColumns("i:object_id i:index_id i:rows"), partitionRows, true},
		{"INFORMATION_SCHEMA", "SCHEMATA", viewColumns("n:SCHEMA_NAME"), func(s *session, add func(...any)) error {
			return schemaRows(s, func(values ...any) { add(values[1]) })
		}, false},
		{"INFORMATION_SCHEMA", "TABLES", viewColumns("n:TABLE_SCHEMA n:TABLE_NAME n:TABLE_TYPE"), func(s *session, add func(...any)) error {
			return eachTable(s, func(t *tableDef) {
				if !t.Temp {
					add(t.Schema, t.Name, "BASE TABLE")
				}
			})
		}, false},
	}
}

var typeNames = strings.Fields("tinyint smallint int bigint bit decimal float real date time datetime2 datetimeoffset datetime smalldatetime char varchar nchar nvarchar uniqueidentifier varbinary binary numeric money smallmoney")

func typeID(t Type) int {
	for i, name := range typeNames {
		if name == t.Name {
			return i + 1
		}
	}
	return 0
}

func schemaRows(s *session, add func(...any)) error {
	rows, err := s.pairs("SELECT id, name FROM main.schemas")
	for _, r := range rows {
		add(r.id, r.name)
	}
	return err
}

func objectRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		schema := t.schemaID(s)
		add(t.objectID(), t.Name, schema, "U", 0, false)
		for i, k := range t.Keys {
			if k.Kind == "PK" || k.Kind == "UQ" {
				add(t.partID("K", i), k.Name, schema, k.Kind, t.objectID(), false)
			}
		}
		for i, f := range t.Foreign {
			add(t.partID("F", i), f.Name, schema, "F", t.objectID(), false)
		}
		for i, c := range t.Checks {
			add(t.partID("C", i), c.Name, schema, "C", t.objectID(), false)
		}
		for i, x := range t.Triggers {
			add(t.partID("T", i), x.Name, schema, "TR", t.objectID(), false)
		}
	})
}

func columnRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		for i := range t.Columns {
			c := &t.Columns[i]
			precision, collation, def := 0, any(nil), any(0)
			if c.Type.Name == "decimal" {
				precision = c.Type.Size
			}
			if c.Type.Textual() {
				collation = c.Type.Collate
				if collation == "" {
					collation = s.server.options.Collation
				}
			}
			if c.Default != "" {
				def = t.partID("D", i)
			}
			id := typeID(c.Type)
			add(t.objectID(), c.Name, c.ID, id, id, maxLength(c.Type), precision, c.Type.Scale, collation, !c.NotNull, c.Identity, c.Computed != "", def, 0)
		}
	})
}

// indexID is 1 for the primary key, which is clustered, and counts from 2 on for others.
func (t *tableDef) indexID(i int) int {
	if t.Keys[i].Kind == "PK" {
		return 1
	}
	return i + 2
}

func indexRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		clustered := false
		for i, k := range t.Keys {
			kind, desc := 2, "NONCLUSTERED"
			if k.Kind == "PK" {
				kind, desc, clustered = 1, "CLUSTERED", true
			}
			filter := any(nil)
			if k.Where != "" {
				filter = "(" + k.Where + ")"
			}
			add(t.objectID(), k.Name, t.indexID(i), kind, desc, k.Kind != "IX", k.Kind == "PK", k.Kind == "UQ", k.Where != "", filter, false, false)
		}
		if !clustered {
			add(t.objectID(), nil, 0, 0, "HEAP", false, false, false, false, nil, false, false)
		}
	})
}

func indexColumnRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		for i, k := range t.Keys {
			for n, name := range k.Columns {
				add(t.objectID(), t.indexID(i), n+1, t.column(name).ID, n+1, false)
			}
		}
	})
}

func foreignRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		for i, f := range t.Foreign {
			action, desc := 0, "NO_ACTION"
			if f.OnDelete == "CASCADE" {
				action, desc = 1, "CASCADE"
			} else if f.OnDelete != "" {
				action, desc = 2, "SET_NULL"
			}
			add(t.partID("F", i), f.Name, t.objectID(), f.Refers*1000, action, desc, false)
		}
	})
}

func foreignColumnRows(s *session, add func(...any)) error {
	all, err := s.tables()
	for _, t := range all {
		for i, f := range t.Foreign {
			for _, parent := range all {
				if parent.ID != f.Refers || parent.Temp {
					continue
				}
				for n, name := range f.Columns {
					add(t.partID("F", i), n+1, t.objectID(), t.column(name).ID, parent.objectID(), parent.column(f.RefColumns[n]).ID)
				}
			}
		}
	}
	return err
}

func defaultRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		for i, c := range t.Columns {
			if c.Default != "" {
				add(t.partID("D", i), fmt.Sprintf("DF__%s__%s", t.Name, c.Name), t.objectID(), c.ID, inParentheses(c.Default))
			}
		}
	})
}

// inParentheses puts an expression into parentheses, unless it is in them.
func inParentheses(expression string) string {
	depth := 0
	for i, r := range expression {
		switch r {
		case '(':
			depth++
		case ')':
			depth--
		}
		if depth == 0 && (r != ')' || i < len(expression)-1) {
			return "(" + expression + ")"
		}
	}
	return expression
}

func propertyRows(s *session, add func(...any)) error {
	return eachTable(s, func(t *tableDef) {
		for name, text := range t.Comments {
			minor := 0
			c := t.column(name)
			if c != nil {
				minor = c.ID
			}
			add(1, "MS_Description", t.objectID(), minor, text)
		}
	})
}

func databaseRows(s *session, add func(...any)) error {
	names, err := s.server.databases()
	for i, name := range names {
		add(i+5, name, s.server.options.Compatibility, s.server.options.Collation, s.server.options.ReadOnly, s.server.options.Recovery, 1, false)
	}
	return err
}

func sessionRows(s *session, add func(...any)) error {
	for _, other := range s.server.all() {
		add(other.id, other.hello.User, other.hello.App, other.hello.Host)
	}
	return nil
}

func partitionRows(s *session, add func(...any)) error {
	var failed error
	err := eachTable(s, func(t *tableDef) {
		n, err := s.number("SELECT count(*) FROM " + t.sqlName())
		if err != nil {
			failed = err
		}
		add(t.objectID(), 1, n)
	})
	if failed != nil {
		return failed
	}
	return err
}
