package calendar

import (
	"sort"
	"time"
)

// year is the index of one calendar year of UTC: the covered stretches inside
// it, merged, with running sums; and, for business days, the covered dates
// whose local date lies in that year.
type year struct {
	start, end  int64
	open, close []int64
	all         int64   // covered seconds of the whole year
	sum         []int64 // sum[i] is the covered seconds before open[i]; one longer than open
	byDay       []int32 // how many stretches open before each UTC day of the year
	days        []coveredDay
}

type coveredDay struct {
	number      int32 // days since 1970-01-01
	first, last int64 // its first opening and its last close
}

func (y *year) total() int64 { return y.all }

// before is the covered seconds of the year before t.
func (y *year) before(t int64) int64 {
	lo := int(y.byDay[(t-y.start)/86400])
	for lo < len(y.open) && y.open[lo] <= t {
		lo++
	}
	if lo == 0 {
		return 0
	}
	if c := y.close[lo-1]; t >= c {
		return y.sum[lo]
	}
	return y.sum[lo-1] + t - y.open[lo-1]
}

// reach is the first stretch at whose close the covered time is at least want.
func (y *year) reach(want int64) int {
	lo, hi := 0, len(y.open)-1
	for lo < hi {
		if mid := int(uint(lo+hi) >> 1); y.sum[mid+1] < want {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	return lo
}

func (y *year) firstAfter(t int64) int64 {
	i := sort.Search(len(y.close), func(i int) bool { return y.close[i] > t })
	return max(y.open[i], t)
}

func (y *year) dayAt(number int32) int {
	return sort.Search(len(y.days), func(i int) bool { return y.days[i].number >= number })
}

// nearStarts are the first instants of the near years and of the one after.
var nearStarts = func() (list [lastNear - firstNear + 2]int64) {
	for i := range list {
		list[i] = int64(yearStartDay(firstNear+i)) * 86400
	}
	return list
}()

func yearOf(t int64) int {
	if t >= nearStarts[0] && t < nearStarts[len(nearStarts)-1] {
		i := int(t-nearStarts[0]) / (366 * 86400)
		for nearStarts[i+1] <= t {
			i++
		}
		return firstNear + i
	}
	return yearOfDay(int32(floorDiv(t, 86400)))
}

// yearOfDay estimates, and corrects itself.
func yearOfDay(day int32) int {
	n := 1970 + int(floorDiv(int64(day)*400, 146097))
	for yearStartDay(n) > day {
		n--
	}
	for yearStartDay(n+1) <= day {
		n++
	}
	return n
}

// yearStartDay is the day number of 1 January.
func yearStartDay(n int) int32 {
	p := int64(n - 1)
	return int32(p*365 + floorDiv(p, 4) - floorDiv(p, 100) + floorDiv(p, 400) - 719162)
}

func (c *Calendar) index(n int) *year {
	first, next := yearStartDay(n), yearStartDay(n+1)
	y := &year{start: int64(first) * 86400, end: int64(next) * 86400}
	// A window reaches at most to the end of the date after its own, and no zone
	// is a whole day from UTC; three dates on either side are enough.
	var all []Window
	for i := range c.parts {
		from, to := first-3, next+3
		from = max(from, c.parts[i].from)
		if i+1 < len(c.parts) {
			to = min(to, c.parts[i+1].from)
		}
		if from < to {
			all = c.parts[i].windows(y, first, next, from, to, all)
		}
	}
	sort.Slice(all, func(i, j int) bool { return all[i].Open < all[j].Open })
	y.sum = append(y.sum, 0)
	for _, w := range all {
		w.Open, w.Close = max(w.Open, y.start), min(w.Close, y.end)
		if w.Open >= w.Close {
			continue
		}
		k := len(y.open)
		if k > 0 && w.Open <= y.close[k-1] {
			if w.Close > y.close[k-1] {
				y.sum[k] += w.Close - y.close[k-1]
				y.close[k-1] = w.Close
			}
			continue
		}
		y.open, y.close = append(y.open, w.Open), append(y.close, w.Close)
		y.sum = append(y.sum, y.sum[k]+w.Close-w.Open)
	}
	y.all = y.sum[len(y.open)]
	y.byDay = make([]int32, (y.end-y.start)/86400)
	for d, i := 0, 0; d < len(y.byDay); d++ {
		for i < len(y.open) && y.open[i] < y.start+int64(d)*86400 {
			i++
		}
		y.byDay[d] = int32(i)
	}
	return y
}

// windows appends the windows of the dates from..to, and notes those dates in
// the year's business days that lie in first..next.
func (p *part) windows(y *year, first, next, from, to int32, all []Window) []Window {
	segs := segments(p.loc, int64(from-1)*86400, int64(to+1)*86400)
	for day := from; day < to; day++ {
		ws, own := p.plan.other[day]
		if !own {
			ws = p.plan.week[floorMod7(day+4)]
		}
		d := coveredDay{number: day}
		found := false
		for _, w := range ws {
			base := int64(day) * 86400
			open := instantOf(segs, base+int64(w.open), false)
			close := instantOf(segs, base+int64(w.close), true)
			if open >= close {
				continue
			}
			all = append(all, Window{open, close})
			if !found || open < d.first {
				d.first = open
			}
			if !found || close > d.last {
				d.last = close
			}
			found = true
		}
		if found && day >= first && day < next {
			y.days = append(y.days, d)
		}
	}
	return all
}

// moved is the same year, a number of 400-year cycles later.
func (y *year) moved(cycles int) *year {
	if cycles == 0 {
		return y
	}
	by := int64(cycles) * cycleSeconds
	m := &year{start: y.start + by, end: y.end + by, all: y.all, sum: y.sum, byDay: y.byDay,
		open: make([]int64, len(y.open)), close: make([]int64, len(y.close)), days: make([]coveredDay, len(y.days))}
	for i := range y.open {
		m.open[i], m.close[i] = y.open[i]+by, y.close[i]+by
	}
	for i, d := range y.days {
		m.days[i] = coveredDay{d.number + int32(by/86400), d.first + by, d.last + by}
	}
	return m
}

func floorMod7(day int32) int32 {
	m := day % 7
	if m < 0 {
		m += 7
	}
	return m
}

// segment is a stretch of one UTC offset that begins at start.
type segment struct {
	start  int64
	offset int
}

// segments lists the offsets in force from a to b. It samples instead of
// stepping by time.ZoneBounds, which is wrong at the end of leap years beyond a
// zone's table; no zone changes twice within the step.
func segments(loc *time.Location, a, b int64) []segment {
	const step = 3 * 3600
	segs := []segment{{a, offset(loc, a)}}
	if loc == time.UTC {
		return segs
	}
	for t := a; t < b; t += step {
		was, is := segs[len(segs)-1].offset, offset(loc, t+step)
		if was == is {
			continue
		}
		lo, hi := t, t+step // the offset is was at lo, and is not at hi
		for hi-lo > 1 {
			if mid := (lo + hi) / 2; offset(loc, mid) == was {
				lo = mid
			} else {
				hi = mid
			}
		}
		segs = append(segs, segment{hi, is})
	}
	return segs
}

// instantOf turns wall time (seconds as if the zone were UTC) into an instant.
// A wall time inside a gap is the first instant after it; of one that exists
// twice late picks the second.
func instantOf(segs []segment, wall int64, late bool) int64 {
	found, at := false, int64(0)
	for i, s := range segs {
		t := wall - int64(s.offset)
		if (i == 0 || t >= s.start) && (i == len(segs)-1 || t < segs[i+1].start) {
			if !late {
				return t
			}
			found, at = true, t
		}
	}
	if found {
		return at
	}
	for i := 1; i < len(segs); i++ {
		if wall-int64(segs[i].offset) < segs[i].start && wall-int64(segs[i-1].offset) >= segs[i].start {
			return segs[i].start
		}
	}
	return wall - int64(segs[len(segs)-1].offset)
}
