package value

import (
	"fmt"
	"math"
	"sync/atomic"
	"time"
	_ "time/tzdata" // for systems without the database of time zones
)

// Zone is a time zone, in which timestamps without an offset are local times. Several goroutines may
// use it.
type Zone struct {
	location *time.Location
	last     atomic.Pointer[period]
}

// period is a time without changes of the clocks near it, in local microseconds.
type period struct{ from, to, offset int64 }

// farFromChanges is how far a period is from the changes of the clocks around it. No change is greater.
const farFromChanges = 26 * 60 * 60 * 1_000_000

// ParseZone returns the zone of a name of the IANA database, of UTC, or of an offset such as +01:00.
func ParseZone(name string) (*Zone, error) {
	offset, ok := scanOffset([]byte(name))
	if ok {
		return &Zone{location: time.FixedZone(name, int(offset/1_000_000))}, nil
	}
	location, err := time.LoadLocation(name)
	if err != nil || name == "" || name == "Local" {
		return nil, fmt.Errorf("unknown time zone %q; write UTC, an offset such as +01:00, or a name such as Europe/Berlin", name)
	}
	return &Zone{location: location}, nil
}

// UTC returns the moment of a local time, both in microseconds since 1970-01-01. If clocks were set
// forward or back then, it returns why no moment is meant, or which of two is not known.
func (z *Zone) UTC(local int64) (utc int64, why string) {
	p := z.last.Load()
	if p != nil && local >= p.from && local < p.to {
		return local - p.offset, ""
	}
	u := time.UnixMicro(local).UTC()
	second := u.Unix()
	t := time.Date(u.Year(), u.Month(), u.Day(), u.Hour(), u.Minute(), u.Second(), 0, z.location)
	_, offset := t.Zone()
	if t.Unix()+int64(offset) != second {
		return 0, "does not exist in " + z.location.String() + ": clocks were set forward"
	}
	start, end := t.ZoneBounds()
	if beforeChange(start, second) || afterChange(end, second) {
		return 0, "ambiguous in " + z.location.String() + ": clocks were set back"
	}
	p = &period{math.MinInt64, math.MaxInt64, int64(offset) * 1_000_000}
	if !start.IsZero() {
		p.from = start.UnixMicro() + p.offset + farFromChanges
	}
	if !end.IsZero() {
		p.to = end.UnixMicro() + p.offset - farFromChanges
	}
	z.last.Store(p)
	return local - p.offset, ""
}

// beforeChange reports whether a local time is also one before the clocks were changed.
func beforeChange(change time.Time, local int64) bool {
	_, offset := change.Add(-time.Second).Zone()
	return !change.IsZero() && local-int64(offset) < change.Unix()
}

// afterChange reports whether a local time is also one after the clocks were changed.
func afterChange(change time.Time, local int64) bool {
	_, offset := change.Zone()
	return !change.IsZero() && local-int64(offset) >= change.Unix()
}

// Local returns the local time of a moment, both in microseconds since 1970-01-01.
func (z *Zone) Local(utc int64) int64 {
	_, offset := time.UnixMicro(utc).In(z.location).Zone()
	return utc + int64(offset)*1_000_000
}
