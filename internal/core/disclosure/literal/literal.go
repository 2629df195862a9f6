// Package literal finds many literals in one pass over a text, however many there are.
package literal

// Machine finds all literals in one pass: at every byte it goes to one next state, whatever the literals have in
// common. Letters of ASCII are folded. It is safe for concurrent use.
type Machine struct {
	class [256]uint8
	next  []uint32 // state x classes + class: the next state x classes, and ends where literals end there
	n     int      // classes
	found [][]int  // by state: the literals that end there
}

// ends marks a state in which literals end.
const ends = 1 << 31

// New makes one for literals, which it calls by their places in the list.
func New(list []string) *Machine {
	m := &Machine{n: 1} // class 0 is whatever no literal has
	for _, l := range list {
		for _, b := range []byte(l) {
			if b = Fold(b); m.class[b] == 0 {
				m.class[b] = uint8(m.n)
				m.n++
			}
		}
	}
	for b := byte('A'); b <= 'Z'; b++ {
		m.class[b] = m.class[Fold(b)]
	}
	m.state()
	for i, l := range list {
		at := uint32(0)
		for _, b := range []byte(l) {
			slot := int(at)*m.n + int(m.class[Fold(b)])
			if m.next[slot] == 0 {
				to := m.state()
				m.next[slot] = to
			}
			at = m.next[slot]
		}
		m.found[at] = append(m.found[at], i)
	}
	m.link()
	return m
}

func (m *Machine) state() uint32 {
	m.next = append(m.next, make([]uint32, m.n)...)
	m.found = append(m.found, nil)
	return uint32(len(m.found) - 1)
}

// link gives every state the ways of the longest literal's beginning that it ends with, the shortest states first.
func (m *Machine) link() {
	fail := make([]uint32, len(m.found))
	var queue []uint32
	for c := range m.n {
		if to := m.next[c]; to != 0 {
			queue = append(queue, to)
		}
	}
	for ; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		m.found[at] = append(m.found[at], m.found[fail[at]]...)
		for c := range m.n {
			slot := int(at)*m.n + c
			back := m.next[int(fail[at])*m.n+c]
			if to := m.next[slot]; to == 0 {
				m.next[slot] = back
			} else {
				fail[to] = back
				queue = append(queue, to)
			}
		}
	}
	for i, to := range m.next {
		m.next[i] = to * uint32(m.n)
		if len(m.found[to]) > 0 {
			m.next[i] |= ends
		}
	}
}

// Each calls hit for every literal, with where it ends, and account for every two letters before two digits, with where
// the digits are: account numbers begin so, and to look for them in the same pass costs nothing.
func (m *Machine) Each(b []byte, hit func(literal, end int), account func(int)) {
	at, last := uint32(0), uint8(0)
	next, class := m.next, &m.class
	for i, c := range b {
		if last = last<<2 | shape[c]; last == 0b01_01_10_10 {
			account(i - 1)
		}
		if at = next[at+uint32(class[c])]; at >= ends {
			at &^= ends
			for _, l := range m.found[at/uint32(m.n)] {
				hit(l, i+1)
			}
		}
	}
}

// Fold makes a small letter of a capital one of ASCII.
func Fold(b byte) byte {
	if 'A' <= b && b <= 'Z' {
		return b + 'a' - 'A'
	}
	return b
}

// shape is 1 for a letter of ASCII, 2 for a digit.
var shape = func() (all [256]uint8) {
	for c := range 26 {
		all['a'+c], all['A'+c] = 1, 1
	}
	for c := range 10 {
		all['0'+c] = 2
	}
	return all
}()
