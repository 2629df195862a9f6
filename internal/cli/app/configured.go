package app

import (
	"strings"

	"github.com/knadh/koanf/parsers/yaml"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/providers/rawbytes"
	"github.com/knadh/koanf/v2"

	"github.com/spf13/pflag"
)

// Configured lets ROUNDHOUSE_NAME stand for --name where the flag is not given,
// and after it what the file of --config says.
func Configured(flags *pflag.FlagSet) error {
	if err := environment(flags); err != nil {
		return err
	}
	file, err := flags.GetString("config")
	if err != nil || file == "" {
		return err
	}
	raw, err := ReadBounded(file)
	if err != nil {
		return err
	}
	said := koanf.New("\x00") // no name of a setting has parts
	if err := said.Load(rawbytes.Provider(raw), yaml.Parser()); err != nil {
		return Usagef("%s: %v", file, err)
	}
	for _, name := range said.Keys() { // in order
		f := flags.Lookup(name)
		if f == nil || name == "config" || name == "help" {
			return Usagef("%s: %s is not a setting of this command; its flags are, without their dashes", file, name)
		}
		if f.Changed {
			continue
		}
		text := said.String(name)
		if list := said.Strings(name); len(list) > 0 {
			text = strings.Join(list, ",")
		}
		if err := flags.Set(name, text); err != nil {
			return Usagef("%s: %s: %v", file, name, err)
		}
	}
	return nil
}

// ConfigFlag adds the flag that names a file of settings.
func ConfigFlag(flags *pflag.FlagSet) {
	flags.String("config", "", "a YAML file with settings named like the flags; "+
		"flags and environment variables override it")
}

// environment lets ROUNDHOUSE_NAME stand for --name where the flag is not given.
func environment(flags *pflag.FlagSet) error {
	const prefix = "ROUNDHOUSE_"
	said := koanf.New("\x00")
	if err := said.Load(env.Provider("\x00", env.Opt{Prefix: prefix, TransformFunc: func(k, v string) (string, any) {
		return strings.ToLower(strings.ReplaceAll(strings.TrimPrefix(k, prefix), "_", "-")), v
	}}), nil); err != nil {
		return err
	}
	for _, name := range said.Keys() {
		f := flags.Lookup(name)
		if f == nil || f.Changed || name == "help" || name == "url" || name == "output" {
			continue
		}
		if err := flags.Set(name, said.String(name)); err != nil {
			return Usagef("%s%s: %v", prefix, strings.ToUpper(strings.ReplaceAll(name, "-", "_")), err)
		}
	}
	return nil
}
