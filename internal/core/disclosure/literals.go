package disclosure

import (
	"strings"
	"unicode/utf8"

	"roundhouse.example/internal/core/disclosure/decode"
)

// What is looked for begins with a literal, so that a text is gone through once, and a closer look is taken only where
// one of them stands. That is what makes a scan as fast as it is.

// lead is what a literal begins.
type lead uint8

const (
	noLead        lead = iota
	wordLead           // a key word of an assignment
	shortLead          // one that has to be a word of its own, as it is a part of many others
	schemeLead         // ://
	headerLead         // Authorization, Cookie
	blockLead          // -----BEGIN
	prefixLead         // what tokens of a known make begin with
	userLead           // -u and --user of a command line
	addressLead        // how private addresses begin
	signatureLead      // a signature in the query of an address
)

type clue struct {
	text string
	lead lead
	kind Kind
}

// literals are looked for in any case, but the prefixes of tokens, which are looked at again.
var literals = func() (all []clue) {
	add := func(l lead, k Kind, texts ...string) {
		for _, t := range texts {
			all = append(all, clue{t, l, k})
		}
	}
	add(wordLead, Password, "password", "passwd", "passphrase", "passcode", "passwort", "kennwort",
		"motdepasse", "mot de passe", "contraseña", "contrasena", "wachtwoord", "lösenord", "losenord",
		"passord", "adgangskode", "salasana", "senha", "hasło", "haslo", "heslo", "jelszó", "jelszo",
		"parola", "пароль", "identified by", "pin code", "pin-code", "pincode", "pass phrase",
		"pass word", "kodeord", "parole",
		"パスワード", "密码", "비밀번호", "lykilorð", "lykilord")
	add(shortLead, Password, "pass", "pwd", "pw", "psk", "pin")
	add(wordLead, Token, "secret", "token", "apikey", "api_key", "api-key", "api key", "accesskey",
		"access_key", "access-key", "access key", "privatekey", "private_key", "private-key", "signingkey",
		"signing_key", "signing-key", "encryptionkey", "encryption_key", "encryption-key", "masterkey",
		"master_key", "master-key", "accountkey", "account_key", "account-key", "sharedkey", "shared_key",
		"shared-key", "sharedaccesskey", "authkey", "auth_key", "auth-key", "storagekey", "storage_key",
		"licensekey", "license_key", "credential", "sessionid", "session_id", "jsessionid", "phpsessid",
		"sharedaccesssignature", "bearer")
	add(shortLead, Token, "auth", "sid")
	add(schemeLead, Password, "://")
	add(headerLead, Token, "authorization", "cookie")
	add(blockLead, PrivateKey, "-----begin", "---- begin", "private-lines", "ls0tls1crudjti", `"d"`)
	add(prefixLead, Token, "eyj", "akia", "asia", "ghp_", "gho_", "ghs_", "ghu_", "glpat-", "xoxb-", "xoxa-",
		"xoxp-", "xoxs-", "xoxr-", "sk_live_", "rk_live_", "sk-", "aiza", "ya29.", "npm_", "dop_v1_", "hvs.", "sg.",
		"shpat_", "rht_", "age-secret-key-")
	add(userLead, Password, "-u ", "-u=", "--user ", "--user=", "-p ", "-p'")
	add(addressLead, PrivateAddress, "10.", "192.168.", "172.", "169.254.", "fe80:", "fc", "fd")
	add(signatureLead, Token, "sig=", "signature=", "sign=")
	return all
}()

// own are the literals of all desks and the words of this one, each as it is written small and great, in UTF-8 and in
// Latin-1.
func own(c Config) []clue {
	all := append([]clue(nil), literals...)
	for _, w := range c.Words {
		all = append(all, clue{strings.ToLower(w), wordLead, Password})
	}
	list := all
	for _, l := range all {
		for _, form := range []string{l.text, strings.ToUpper(l.text)} {
			if form != l.text && !ascii(form) {
				list = append(list, clue{form, l.lead, l.kind})
			}
			if latin, ok := decode.Latin1(form); ok && !ascii(form) {
				list = append(list, clue{latin, l.lead, l.kind})
			}
		}
	}
	return list
}

func ascii(s string) bool {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}
