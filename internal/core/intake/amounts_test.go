package intake

import (
	"strings"
	"testing"
)

func TestAmounts(t *testing.T) {
	got, err := Amounts("Ern; messages a second; 500; 2000\n\nMarrowby ; messages a second ; 1,250.5 ; 3000\n" +
		"Ern; storage; 40 TB; 60 TB\nMarrowby; storage; 0; 2 TB")
	if err != nil {
		t.Fatal(err)
	}
	want := "- Ern, messages a second: 500 now, 2,000 wanted\n- Marrowby, messages a second: 1,250.5 now, 3,000 wanted\n" +
		"- Ern, storage: 40 TB now, 60 TB wanted\n- Marrowby, storage: 0 TB now, 2 TB wanted\n" +
		"Total, messages a second: 1,750.5 now, 5,000 wanted\nTotal, storage: 40 TB now, 62 TB wanted"
	if told := Told(got); told != want {
		t.Errorf("told as\n%s\nwant\n%s", told, want)
	}
	if out := OutOfPlace(got, []string{"ern", "Gannetholm"}); strings.Join(out, ",") != "Marrowby" &&
		strings.Join(out, ",") != "Marrowby,Marrowby" {
		t.Errorf("out of place: %v", out)
	}
	if out := OutOfPlace(got, nil); out != nil {
		t.Errorf("nobody knows the places: %v", out)
	}
	for text, say := range map[string]string{
		"Ern; storage; 40":                                `line 1: write it as "place; thing;`,
		"\nErn; ; 1; 2":                                   "line 2: the thing is missing",
		"Ern; storage; forty; 60":                         `"forty" is not an amount`,
		"Ern; storage; -1; 60":                            "is not an amount",
		"Ern; storage; 1,00; 60":                          "is not an amount",
		"Ern; storage; 40 TB; 60 GB":                      "TB and GB are different units",
		"Ern; storage; 40 TB; 40.0 TB":                    "the wanted amount is the same as the present one",
		"Ern; storage; 1; 2\nern; Storage; 2; 3":          "line 2: Storage in ern is there twice",
		"Ern; storage; " + strings.Repeat("9", 40) + ";1": "is not an amount",
	} {
		if _, err := Amounts(text); err == nil || !strings.Contains(err.Error(), say) {
			t.Errorf("%q: %v, want %q", text, err, say)
		}
	}
}

// What is read and written again says the same: no sum is lost in rounding.
func FuzzAmounts(f *testing.F) {
	f.Add("Ern; storage; 40 TB; 60.25 TB\nMarrowby; storage; 0.1; 0.3")
	f.Add("a; b; 1,000; 2")
	f.Fuzz(func(t *testing.T, text string) {
		list, err := Amounts(text)
		if err != nil {
			return
		}
		for _, a := range list {
			now, unit, err := quantityOf(written(a.Now, a.Unit))
			if err != nil || now.Cmp(a.Now) != 0 || unit != a.Unit {
				t.Errorf("%q is written as %q: %v", text, written(a.Now, a.Unit), err)
			}
		}
		if told := Told(list); len(list) > 0 && strings.Count(told, "\n")+1 < len(list) {
			t.Errorf("%d lines are told as %q", len(list), told)
		}
	})
}
