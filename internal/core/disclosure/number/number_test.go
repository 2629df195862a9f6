package number

import "testing"

func TestCard(t *testing.T) {
	for run, want := range map[string]int{
		"4539148803436467": 16, "4539 1488 0343 6467": 19, "4539-1488-0343-6467": 19, "378282246310005": 15,
		"3782 822463 10005": 17, "30569309025904": 14, "6011000990139424": 16, "4539148803436467 1": 16,
		"2223003122003222":    16,
		"4539148803436468":    0, // its last digit is wrong
		"4539 1488-0343 6467": 0, // joined in two ways
		"45 39148803436467":   0,
		"0000000000000000":    0,
		"4444444444444444":    0,
		"1234567812345670":    0, // of no issuer
		"453914880343646":     0,
		"":                    0,
	} {
		if got := Card([]byte(run)); got != want {
			t.Errorf("%q: %d, want %d", run, got, want)
		}
	}
}

func TestIBAN(t *testing.T) {
	for text, want := range map[string]int{
		"NO9386011117947": 15, "NO93 8601 1117 947": 18, "no9386011117947.": 15, "GB82WEST12345698765432": 22,
		"DE89 3704 0044 0532 0130 00 and": 27,
		"NO9386011117948":                 0, "NO93860111179": 0, "NO93860111179470": 0, "XX9386011117947": 0,
		"NO93  86011117947": 0, "NO93-8601-1117-947": 0,
	} {
		if got := IBAN([]byte(text), 2); got != want {
			t.Errorf("%q: %d, want %d", text, got, want)
		}
	}
}
