package sqlserver

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"reflect"
	"sync"
	"unicode/utf16"
	"unsafe"

	mssql "github.com/microsoft/go-mssqldb"
)

// wire is the stream of packets of the driver's connection, over which rows go in the
// form that the protocol specifies ([MS-TDS], section 2.2). The driver's own bulk copy
// and its rows make an object of every cell, and it does not give its stream out: it is
// taken from inside. Between two requests of the driver nothing else uses it. TestWire
// fails with a version of the driver that keeps it elsewhere.
type wire struct {
	stream interface {
		io.ReadWriter
		FinishPacket() error
	}
	begin   reflect.Value // func(kind, resetSession bool)
	receive reflect.Value // func() (kind, error)
	tran    reflect.Value // the id of the transaction that is open

	mu        sync.Mutex
	waiting   bool // for the answer of a message that is sent
	cancelled bool
	attention bool // was sent
}

// The types of messages (section 2.2.3.1.1).
const (
	messageBatch     = 0x01
	messageAttention = 0x06
	messageBulk      = 0x07
)

// errDriver is returned where the driver is not as we know it.
var errDriver = errors.New("the driver keeps its stream elsewhere")

func newWire(conn *mssql.Conn) (w *wire, err error) {
	defer func() { // reflection panics where something is not there
		r := recover()
		if r != nil {
			w, err = nil, fmt.Errorf("%w: %v", errDriver, r)
		}
	}()
	session := reflect.ValueOf(conn).Elem().FieldByName("sess").Elem()
	buffer := reachable(session.FieldByName("buf"))
	w = &wire{tran: reachable(session.FieldByName("tranid"))}
	w.begin, w.receive = buffer.MethodByName("BeginPacket"), buffer.MethodByName("BeginRead")
	var ok bool
	w.stream, ok = buffer.Interface().(interface {
		io.ReadWriter
		FinishPacket() error
	})
	if !ok || !w.begin.IsValid() || !w.receive.IsValid() || w.tran.Kind() != reflect.Uint64 {
		return nil, errDriver
	}
	return w, nil
}

// reachable returns a field that the package of its struct does not export.
func reachable(field reflect.Value) reflect.Value {
	return reflect.NewAt(field.Type(), unsafe.Pointer(field.UnsafeAddr())).Elem()
}

// setTransaction has the driver know which transaction is open, 0 for none.
func (w *wire) setTransaction(id uint64) { w.tran.SetUint(id) }

// start begins a message.
func (w *wire) start(kind byte) {
	w.begin.Call([]reflect.Value{reflect.ValueOf(kind).Convert(w.begin.Type().In(0)), reflect.ValueOf(false)})
}

// send sends a message that is begun, and waits for the answer.
func (w *wire) send() (*answer, error) {
	err := w.stream.FinishPacket()
	if err != nil {
		return nil, err
	}
	w.mu.Lock()
	w.waiting = true
	err = w.interrupt()
	w.mu.Unlock()
	if err != nil {
		return nil, err
	}
	a := &answer{w: w}
	return a, a.begin()
}

// cancel has the server break off what it does. A message that is being sent is sent
// to its end first.
func (w *wire) cancel() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cancelled = true
	_ = w.interrupt() // an answer that does not come is waited for by others
}

// interrupt sends an attention where that is due: reading and writing do not meet in
// the driver, so that it may go while an answer is read.
func (w *wire) interrupt() error {
	if !w.waiting || !w.cancelled || w.attention {
		return nil
	}
	w.attention = true
	w.start(messageAttention)
	return w.stream.FinishPacket()
}

// interrupted reports whether an attention was sent, which has an answer of its own.
func (w *wire) interrupted() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.waiting = w.waiting && w.attention
	return w.attention
}

// batch sends statements in the transaction that is open.
func (w *wire) batch(text string) (*answer, error) {
	w.start(messageBatch)
	head := make([]byte, 0, 22+2*len(text))
	head = binary.LittleEndian.AppendUint32(head, 22) // ALL_HEADERS, with the id of the transaction
	head = binary.LittleEndian.AppendUint32(head, 18)
	head = binary.LittleEndian.AppendUint16(head, 2)
	head = binary.LittleEndian.AppendUint64(head, w.tran.Uint())
	head = binary.LittleEndian.AppendUint32(head, 1)
	_, err := w.stream.Write(appendUTF16(head, text))
	if err != nil {
		return nil, err
	}
	return w.send()
}

// bulk sends rows after an INSERT BULK, and returns how many the server took. columns
// are announced as the server has described them.
func (w *wire) bulk(columns []wireColumn, rows []byte) (int64, error) {
	w.start(messageBulk)
	head := binary.LittleEndian.AppendUint16([]byte{tokenColumns}, uint16(len(columns)))
	for i := range columns {
		c := &columns[i]
		head = binary.LittleEndian.AppendUint32(head, 0)
		head = binary.LittleEndian.AppendUint16(head, c.flags)
		head = append(head, c.info...)
		name := appendUTF16(nil, c.name)
		head = append(append(head, byte(len(name)/2)), name...)
	}
	done := [13]byte{tokenDone}
	for _, part := range [][]byte{head, rows, done[:]} {
		_, err := w.stream.Write(part)
		if err != nil {
			return 0, err
		}
	}
	a, err := w.send()
	if err != nil {
		return 0, err
	}
	err = a.finish()
	return a.rows, errors.Join(a.failure(), err)
}

func appendUTF16(dst []byte, text string) []byte {
	for _, r := range text {
		if r < 0x10000 {
			dst = append(dst, byte(r), byte(r>>8))
			continue
		}
		high, low := utf16.EncodeRune(r)
		dst = append(dst, byte(high), byte(high>>8), byte(low), byte(low>>8))
	}
	return dst
}
