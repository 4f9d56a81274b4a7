package standin

import (
	"strings"
	"time"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// factOf is a function whose value is known before a query runs.
type factOf struct {
	typ   Type
	value func(args []string) (any, error)
}

// fact computes such a function; its arguments must be known too.
func (c *compiler) fact(x *tsql.Call, f *factOf, in *scope) (code, error) {
	var args []string
	for _, a := range x.Args {
		v, err := c.expr(a, in)
		if err != nil {
			return v, err
		}
		if v.constant == nil {
			return v, invalid(50001, "The stand-in knows %s of constants only.", x.Name)
		}
		text := ""
		if !v.constant.Null {
			text = asText(v.typ, *v.constant)
		}
		args = append(args, text)
	}
	got, err := f.value(args)
	if err != nil {
		return code{}, err
	}
	switch got := got.(type) {
	case int64:
		return known(f.typ, tds.Value{Int: got}), nil
	case int:
		return known(f.typ, tds.Value{Int: int64(got)}), nil
	case string:
		return known(f.typ, tds.Value{Text: []byte(got)}), nil
	}
	return known(f.typ, tds.Value{Null: true}), nil
}

// variantType is what the functions return that may return anything.
var variantType = Type{Name: "nvarchar", Size: 256}

func (s *session) facts() map[string]*factOf {
	text := func(value func(args []string) (any, error)) *factOf { return &factOf{nameType, value} }
	number := func(value func(args []string) (any, error)) *factOf { return &factOf{intType, value} }
	always := func(v any) func([]string) (any, error) { return func([]string) (any, error) { return v, nil } }
	now := func([]string) (any, error) {
		v, err := fromTime(time.Now(), false, Type{Name: "datetime2", Scale: 7})
		return v.Int, err
	}
	return map[string]*factOf{
		"object_id":          number(s.objectIDOf),
		"schema_id":          number(func(a []string) (any, error) { return s.schemaIDOf(append(a, "dbo")[0]) }),
		"schema_name":        text(always("dbo")),
		"db_name":            text(always(s.database)),
		"db_id":              number(always(5)),
		"suser_sname":        text(always(s.hello.User)),
		"original_login":     text(always(s.hello.User)),
		"system_user":        text(always(s.hello.User)),
		"user_name":          text(always("dbo")),
		"current_user":       text(always("dbo")),
		"xact_state":         {Type{Name: "smallint"}, always(min(s.depthOfTran, 1))},
		"ident_current":      {bigType, s.identCurrent},
		"scope_identity":     {bigType, always(nil)},
		"serverproperty":     {variantType, s.serverProperty},
		"databasepropertyex": {variantType, s.databaseProperty},
		"has_perms_by_name":  number(s.hasPermission),
		"is_srvrolemember":   number(always(1)),
		"connectionproperty": {variantType, s.connectionProperty},
		"sysdatetime":        {Type{Name: "datetime2", Scale: 7}, now},
		"sysutcdatetime":     {Type{Name: "datetime2", Scale: 7}, now},
		"getdate":            {Type{Name: "datetime"}, now},
		"current_timestamp":  {Type{Name: "datetime"}, now},
		"objectproperty":     number(always(0)),
	}
}

func (s *session) objectIDOf(a []string) (any, error) {
	t, err := s.find(splitName(a[0]))
	if err != nil || t == nil {
		return nil, err
	}
	if len(a) > 1 && a[1] != "" && !strings.EqualFold(a[1], "U") {
		return nil, nil
	}
	return t.objectID(), nil
}

// splitName takes a name in a text apart, at the points that are not in brackets.
func splitName(text string) (parts []string) {
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		c := text[i]
		switch {
		case c == '[':
			for i++; i < len(text) && (text[i] != ']' || i+1 < len(text) && text[i+1] == ']'); i++ {
				if text[i] == ']' {
					i++
				}
				b.WriteByte(text[i])
			}
		case c == '.':
			parts = append(parts, b.String())
			b.Reset()
		default:
			b.WriteByte(c)
		}
	}
	parts = append(parts, b.String())
	if len(parts) == 3 && strings.EqualFold(parts[0], "tempdb") {
		return parts[2:]
	}
	return parts
}

func (s *session) schemaIDOf(name string) (any, error) {
	n, err := s.number("SELECT coalesce(max(id), 0) FROM main.schemas WHERE name = ?", name)
	if n == 0 {
		return nil, err
	}
	return n, err
}

func (s *session) identCurrent(a []string) (any, error) {
	t, err := s.find(splitName(a[0]))
	if err != nil || t == nil {
		return nil, err
	}
	return s.moveIdentity(t, func(last int64) int64 { return last })
}

func (s *session) serverProperty(a []string) (any, error) {
	switch strings.ToLower(a[0]) {
	case "productversion":
		return s.server.options.Version, nil
	case "edition":
		return "Stand-in (64-bit)", nil
	case "engineedition":
		return "3", nil
	case "collation":
		return s.server.options.Collation, nil
	}
	return nil, nil
}

func (s *session) databaseProperty(a []string) (any, error) {
	switch strings.ToLower(a[1]) {
	case "collation":
		return s.server.options.Collation, nil
	case "recovery":
		return s.server.options.Recovery, nil
	case "status":
		return "ONLINE", nil
	case "updateability":
		if s.server.options.ReadOnly {
			return "READ_ONLY", nil
		}
		return "READ_WRITE", nil
	}
	return nil, nil
}

func (s *session) connectionProperty(a []string) (any, error) {
	if strings.EqualFold(a[0], "net_transport") {
		return "TCP", nil
	}
	return nil, nil
}

func (s *session) hasPermission(a []string) (any, error) {
	right := strings.ToUpper(a[2])
	switch {
	case s.login.ReadOnly:
		return boolInt(right == "SELECT"), nil
	case s.login.NoCreate:
		return boolInt(right == "SELECT" || right == "INSERT" || right == "UPDATE" || right == "DELETE"), nil
	}
	return 1, nil
}

func boolInt(yes bool) int {
	if yes {
		return 1
	}
	return 0
}
