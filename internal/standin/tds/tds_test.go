package tds

import (
	"bytes"
	"encoding/binary"
	"errors"
	"math/rand/v2"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// types are those that values are written and read in.
var types = []Type{
	{Name: "tinyint"}, {Name: "smallint"}, {Name: "int"}, {Name: "bigint"}, {Name: "bit"}, {Name: "decimal", Size: 5, Scale: 2}, {Name: "decimal", Size: 18}, {Name: "decimal", Size: 28, Scale: 6},
	{Name: "float"}, {Name: "real"}, {Name: "date"}, {Name: "time", Scale: 0}, {Name: "time", Scale: 7}, {Name: "datetime2", Scale: 3}, {Name: "datetimeoffset", Scale: 5}, {Name: "datetime"}, {Name: "smalldatetime"}, {Name: "money"}, {Name: "smallmoney"},
	{Name: "uniqueidentifier"}, {Name: "char", Size: 9}, {Name: "varchar", Size: 300}, {Name: "varchar", Max: true}, {Name: "nchar", Size: 9}, {Name: "nvarchar", Size: 300}, {Name: "nvarchar", Max: true}, {Name: "varbinary", Size: 40},
}

// valueOf returns a value that the type keeps as it is.
func valueOf(rng *rand.Rand, t Type) Value {
	bits := map[string]int{"tinyint": 8, "smallint": 15, "int": 31, "bigint": 62, "bit": 1, "decimal": 16, "money": 62, "smallmoney": 31, "date": 21}[t.Name]
	v := Value{Int: rng.Int64N(1 << max(bits, 1))}
	day, step := int64(ticksPerDay), int64(1)
	if t.Name == "time" || t.Name == "datetime2" || t.Name == "datetimeoffset" {
		step = scales[t.Scale]
	}
	switch {
	case t.Wide():
		return Value{Text: []byte("-12345678901234567890.000123")}
	case t.Name == "money":
		v.Int = -v.Int
	case t.Name == "smallint", t.Name == "int", t.Name == "bigint", t.Name == "decimal":
		v.Int = max(-v.Int, -99_999)
	case t.Name == "float", t.Name == "real":
		return Value{Float: float64(float32(rng.NormFloat64()))}
	case t.Name == "time":
		v.Int = rng.Int64N(day) / step * step
	case t.Name == "datetime2", t.Name == "datetimeoffset":
		v.Int = rng.Int64N(3_000_000*day) / step * step
	case t.Name == "datetime":
		v.Int = (daysTo1900+rng.Int64N(50_000))*day + rng.Int64N(86_400)*10_000_000
	case t.Name == "smalldatetime":
		v.Int = (daysTo1900+rng.Int64N(50_000))*day + rng.Int64N(1440)*600_000_000
	case t.Name == "uniqueidentifier":
		return Value{Text: []byte("0123ABCD-4567-89EF-0123-456789ABCDEF")}
	case t.National():
		return Value{Text: []byte(strings.Repeat("é漢😀x", rng.IntN(3)))}
	case t.Textual():
		return Value{Text: []byte(strings.Repeat("é€x ", rng.IntN(3)))}
	case t.Name == "varbinary":
		return Value{Text: bytes.Repeat([]byte{0, 0xff}, rng.IntN(20))}
	}
	return v
}

// TestValues reads what was written, in every type, as a bulk load has it.
func TestValues(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	for range 400 {
		message := binary.LittleEndian.AppendUint16([]byte{tokenColumns}, uint16(len(types)))
		var want []Value
		row := AppendRow(nil)
		for i, typ := range types {
			message = append(typ.AppendInfo(append(message, 0, 0, 0, 0, 9, 0)), 1, byte('a'+i), 0)
			v := valueOf(rng, typ)
			if rng.IntN(5) == 0 {
				v = Value{Null: true}
			}
			want, row = append(want, v), typ.Append(row, v)
		}
		message = append(append(message, row...), append([]byte{tokenDone}, make([]byte, 12)...)...)
		r := NewReader(bytes.NewReader(message))
		columns := r.BulkColumns()
		got := make([]Value, len(columns))
		require.True(t, r.BulkRow(columns, got))
		for i, typ := range types {
			require.Equal(t, typ.Name, columns[i].Type().Name)
			require.Equal(t, want[i].Null, got[i].Null, typ.Name)
			require.Equal(t, want[i].Int, got[i].Int, typ.Name)
			require.Equal(t, want[i].Float, got[i].Float, typ.Name)
			require.Equal(t, string(want[i].Text), string(got[i].Text), typ.Name)
		}
		require.False(t, r.BulkRow(columns, got))
	}
}

// TestMessages cuts what is sent into packets, and has an attention noticed while a
// message is read.
func TestMessages(t *testing.T) {
	a, b := net.Pipe()
	client, server := NewConn(a), NewConn(b)
	noticed := make(chan struct{}, 1)
	client.Attention = func() { noticed <- struct{}{} }
	client.Start()
	require.Equal(t, 512, server.SetSize(100), "the least that there is")
	long := bytes.Repeat([]byte("resin "), 400)
	go func() {
		_, _ = server.Write(long)
		_ = server.End()
		_, _ = b.Write([]byte{Reply, 0, 0, 9, 0, 0, 1, 0, 'x', Attention, 1, 0, 8, 0, 0, 1, 0})
		_ = b.Close()
	}()
	m, err := client.Receive()
	require.NoError(t, err)
	require.Equal(t, byte(Reply), m.Kind)
	require.Equal(t, long, NewReader(m).Rest())
	m, err = client.Receive()
	require.NoError(t, err)
	read := func() (err error) {
		defer Recover(&err)
		NewReader(m).Rest()
		return nil
	}
	require.ErrorIs(t, read(), ErrCancelled)
	<-noticed
	require.Equal(t, "é漢😀", UTF8(UCS2("é漢😀")))
}

// FuzzReader reads messages of a client that lies: with an error or values, and without
// a panic of another kind.
func FuzzReader(f *testing.F) {
	f.Add([]byte{0xff, 0xff, 10, 0, 0, 0, 0, 0, 0xe7, 10, 0, 9, 4, 0xd0, 0, 0x34, 2, 0, 'a', 0})
	f.Add([]byte{tokenColumns, 1, 0, 0, 0, 0, 0, 9, 0, 0x26, 4, 1, 'a', 0, tokenRow, 4, 1, 2, 3, 4, tokenDone})
	f.Add([]byte{22, 0, 0, 0, 18, 0, 0, 0, 2, 0, 1, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 'S', 0})
	f.Fuzz(func(t *testing.T, message []byte) {
		for _, read := range []func(r *Reader){
			func(r *Reader) { r.Headers() }, func(r *Reader) { r.Call() },
			func(r *Reader) {
				columns := r.BulkColumns()
				row := make([]Value, len(columns))
				for r.BulkRow(columns, row) && len(row) > 0 {
					continue
				}
			},
		} {
			err := func() (err error) {
				defer Recover(&err)
				read(NewReader(bytes.NewReader(message)))
				return nil
			}()
			var protocol *ProtocolError
			require.True(t, err == nil || errors.As(err, &protocol))
		}
	})
}
