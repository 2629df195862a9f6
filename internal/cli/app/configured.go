package app

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

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
	var said map[string]any
	if err := readYAML(file, raw, &said); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(said)) {
		f := flags.Lookup(name)
		if f == nil || name == "config" || name == "help" {
			return Usagef("%s: %s is not a setting of this command; its flags are, without their dashes", file, name)
		}
		if f.Changed {
			continue
		}
		text := fmt.Sprint(said[name])
		if list, ok := said[name].([]any); ok {
			var parts []string
			for _, x := range list {
				parts = append(parts, fmt.Sprint(x))
			}
			text = strings.Join(parts, ",")
		}
		if err := flags.Set(name, text); err != nil {
			return Usagef("%s: %s: %v", file, name, err)
		}
	}
	return nil
}

// ConfigFlag adds the flag that names a file of settings.
func ConfigFlag(flags *pflag.FlagSet) {
	flags.String("config", "", "a YAML file with settings named like the flags; flags and the environment come before it")
}

// environment lets ROUNDHOUSE_NAME stand for --name where the flag is not given.
func environment(flags *pflag.FlagSet) error {
	var err error
	flags.VisitAll(func(f *pflag.Flag) {
		name := "ROUNDHOUSE_" + strings.ToUpper(strings.ReplaceAll(f.Name, "-", "_"))
		if v, ok := os.LookupEnv(name); ok && !f.Changed && err == nil && f.Name != "help" && f.Name != "url" && f.Name != "output" {
			if e := flags.Set(f.Name, v); e != nil {
				err = Usagef("%s: %v", name, e)
			}
		}
	})
	return err
}
