package disclosure

import (
	"bytes"
	_ "embed"
	"regexp"
	"strings"
)

// credible says whether a value that a name is given is one: not a stand-in for it, a piece of a program, or a word of
// a sentence about it.
func credible(v []byte, k Kind, h held, name []byte) bool {
	if standsIn(v, h.quote) {
		return false
	}
	low := strings.ToLower(string(v))
	if idle[strings.Trim(low, ".!?,;:")] || strings.EqualFold(string(v), string(name)) && len(h.more) > 0 {
		return false
	}
	c := classesOf(v)
	if h.quote && c.digits == 0 && k == Password &&
		(strings.Contains(low, "password") || strings.Contains(low, "passphrase")) {
		return false // what a page calls it
	}
	if !h.quote && program(v, h) {
		return false
	}
	if h.quote && bytes.ContainsAny(v, " \t") && bytes.Count(v, []byte(" ")) > 1 && k == Token {
		return false // a sentence
	}
	switch {
	case k == Token:
		return len(v) >= 8 && (c.digits > 0 && c.letters > 0 || c.letters >= 16 && !strings.Contains(low, "-") ||
			c.digits >= 12 || c.marks > 1 && c.digits > 0)
	case h.how == bySpace && !h.quote:
		return len(v) >= 6 && c.mixed()
	case h.how == byWord && !h.quote && sentence(h.more):
		number := c.digits == len(v) && len(v) > 3 && (strings.IndexByte(",;.", h.next) >= 0 ||
			bytes.Contains(bytes.ToLower(name), []byte("pin")))
		return len(v) >= 6 && c.mixed() || number
	}
	return len(v) >= 3 && (c.digits < len(v) || len(v) > 3)
}

// sentence says whether what follows a value goes on as a sentence does.
func sentence(more []byte) bool {
	return len(more) > 0 && isLetter(more[0]) && !assignment.Match(more) ||
		len(more) > 1 && more[0] == '(' && isLetter(more[1])
}

var assignment = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.-]{0,40}[ \t]*[=:]`)

// standIn are the forms in which something stands for a value that is elsewhere, or has been taken out.
var standIn = regexp.MustCompile(`^(?:` + strings.Join([]string{`\$\{.*`, `\$\(.*`, `\$[A-Za-z_][A-Za-z0-9_:.]*\$?`,
	`\$env:.*`, `%[A-Za-z_][A-Za-z0-9_]*%`, `%\(.*`, `%[sdvq@]`, `\{\{.*`, `\{[A-Za-z_][A-Za-z0-9_ .:-]*\}`,
	`<[^>]*>?`, `\[[^\]]*\]`, `@@.*`, `#\{.*`, `@[A-Za-z_.]+@`, `!.*`, `ENC\[.*`, `ENC\(.*`,
	`(?i:vault|env|file|secret|ref|arn|kms|encrypted|enc|sealed|ssm):.*`, `&lt;.*`, `:[a-z_]+`, `@[a-z_]+`, `\?`}, `|`) +
	`)$`)

// standsIn says whether a value is a placeholder.
func standsIn(v []byte, quote bool) bool {
	// In quotes a password may begin with what else is a sign of a placeholder.
	own := quote && (v[0] == '!' || v[0] == '$' && !bytes.ContainsAny(v[:min(2, len(v))], "{(") && mixedCase(v))
	if standIn.Match(v) && !own {
		return true
	}
	if len(bytes.Trim(v, "*xX.•●#-_?…=~0\\n ")) == 0 || bytes.Count(v, []byte("*")) >= 3 && !classesOf(v).mixed() {
		return true
	}
	low := bytes.ToLower(v)
	for _, w := range []string{"redacted", "masked", "removed", "omitted", "hidden", "placeholder", "****", "xxxx",
		"••••", "your-", "your_", "-here", "_here", "<", "insert ", "example", "dummy", "not shown", "anonymi"} {
		if bytes.Contains(low, []byte(w)) && !(w == "example" && len(v) > 24) {
			return true
		}
	}
	return bytes.HasPrefix(low, []byte("your"))
}

// mixedCase tells $ecretW0rd from $PASSWORD: a name of a variable has no digit between letters.
func mixedCase(v []byte) bool {
	c := classesOf(v)
	return c.digits > 0 && c.letters > 0 && c.upper > 0 && c.lower > 0
}

//go:embed idle.txt
var idleText string

// idle are words that stand where a password would, and are none.
var idle = set(idleText)

var (
	code = regexp.MustCompile(`^(?:[A-Za-z_$][A-Za-z0-9_$]*(?:(?:\.|->|::|\?\.)[A-Za-z_$][A-Za-z0-9_$]*)+|` +
		`[A-Za-z_$][A-Za-z0-9_$.]*[(\[].*|` +
		`(?:await|new|function|return|lambda|req|os|process|System|getenv|env)\b.*)$`)
	elsewhere = regexp.MustCompile(`^(?:https?://[^@]*|/[A-Za-z0-9_.-]+(?:/[A-Za-z0-9_. -]*)+|[A-Za-z]:\\.*|\.{0,2}/.*|` +
		`[A-Za-z0-9_-]+\.(?:txt|key|pem|json|ya?ml|env|conf|cfg|ini|properties|py|js|go))$`)
	dated = regexp.MustCompile(`^[0-9]{4}-[0-9]{2}-[0-9]{2}|^[0-9]{1,2}:[0-9]{2}`)
)

// program says whether an unquoted value is a piece of a program, or says where the value is.
func program(v []byte, h held) bool {
	if elsewhere.Match(v) || bytes.HasSuffix(v, []byte(":")) {
		return true
	}
	if (h.how == byWord || h.how == bySpace) && dated.Match(v) {
		return true
	}
	if !code.Match(v) {
		return false
	}
	c := classesOf(v)
	return c.digits == 0 || bytes.HasSuffix(v, []byte(")")) || bytes.HasSuffix(v, []byte("("))
}

// classes count the letters of a value.
type classes struct{ lower, upper, letters, digits, marks, turns int }

func classesOf(v []byte) (c classes) {
	last := 0
	for _, b := range v {
		now := 4
		switch {
		case b >= 'a' && b <= 'z':
			c.lower++
			now = 1
		case b >= 'A' && b <= 'Z':
			c.upper++
			now = 2
		case b >= '0' && b <= '9':
			c.digits++
			now = 3
		case b >= 0x80:
			c.letters++
			now = 1
		default:
			c.marks++
		}
		if last != 0 && now != last {
			c.turns++
		}
		last = now
	}
	c.letters += c.lower + c.upper
	return c
}

// mixed says whether it has what words have not: a digit beside letters, or a mark within them that no word has.
func (c classes) mixed() bool {
	return c.letters > 0 && c.digits > 0 || c.digits > 0 && c.marks > 0 || c.letters > 0 && c.marks > 1
}
