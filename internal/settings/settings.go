// Package settings reads how a Switchback process is to run: from a file, the
// environment and flags, each overruling the one before, and says which of them
// each value came from.
//
// It never holds anything of the plan.
package settings

import (
	"fmt"
	"net/netip"
	"os"
	"regexp"
	"slices"
	"strings"

	"github.com/knadh/koanf/parsers/yaml"
	"github.com/knadh/koanf/providers/file"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/pflag"
)

// Prefix stands before the name of every setting in the environment:
// SWITCHBACK_DSN sets dsn.
const Prefix = "SWITCHBACK_"

// Setting is one setting: its name, its default, and what it is for.
type Setting struct {
	Name    string
	Default string
	Usage   string
	// mask hides what is secret in the value when it is shown; nil if nothing is.
	mask func(string) string
	// was is the name that it had before; files and variables with it are still read.
	was string
}

// all is every setting there is.
var all = []Setting{
	{"dsn", "", "database, such as user:secret@tcp(127.0.0.1:3306)/switchback; better in the environment or a file, which no process list shows", maskDSN, ""},
	{"http", "127.0.0.1:8480", "address and port of the web application and the API", nil, ""},
	{"http-remote", "false", "true serves http on other addresses than loopback, in clear text, such as to a proxy on another machine", nil, ""},
	{"https", "", "address and port of the web application and the API by HTTPS, with HTTP/2; empty for none", nil, ""},
	{"https-certificate", "", "PEM file with the certificate for https and those that lead to its authority; read again when it changes", nil, ""},
	{"https-key", "", "PEM file with the key of https-certificate", nil, ""},
	{"https-dir", "", "folder for the self-made certificate that https uses without https-certificate", nil, ""},
	{"instance-name", "", "name of this installation, shown at sign-in, in the header and in the browser's title; at most 60 characters", nil, ""},
	{"key-file", "", "file with the key that seals secrets in the database: 32 bytes in base64, kept apart from the database and its backups", nil, "keyfile"},
	{"certificate-dir", "", "folder with <switch>.pem, <switch>-key.pem and authorities.pem, for SIP over TLS; empty for none", nil, "certificates"},
	{"name-server", "", "address and port of the name server that is asked for the names of far ends; empty for none", nil, "nameserver"},
	{"capture-dir", "", "folder for captured messages; empty for nowhere, which keeps calls without their messages", nil, "recordings"},
	{"capture-megabytes", "1024", "megabytes of captured messages that are kept; the oldest go first", nil, "keepmb"},
	{"retention-days", "30", "days for which messages and call records are kept", nil, "keepdays"},
	{"own-networks", "127.0.0.0/8, ::1/128", "networks from which signing in is never blocked, with commas between them", nil, "ownnetworks"},
	{"trusted-proxies", "", "addresses and networks of trusted reverse proxies (X-Forwarded-For, X-Forwarded-Proto), comma-separated; empty for none", nil, "proxies"},
	{"metrics-address", "", "address and port of /metrics, /healthz and /readyz without a sign-in; empty for nowhere", nil, "metrics"},
	{"log-level", "info", "least level that is logged: debug, info, warn or error", nil, "log"},
}

// All returns every setting in order.
func All() []Setting { return slices.Clone(all) }

// Value is a setting's value and where it came from.
type Value struct {
	Setting
	Value string
	From  string // default, the file's name, the variable's name, or the flag
}

// Shown is the value with what is secret in it masked.
func (v Value) Shown() string {
	if v.mask != nil {
		return v.mask(v.Value)
	}
	return v.Value
}

// Values is what holds, by name.
type Values map[string]Value

// Get returns a value; the name must be that of a setting.
func (v Values) Get(name string) string { return v[name].Value }

// Networks reads a setting that is a list of addresses and networks, with commas between
// them.
func (v Values) Networks(name string) (list []netip.Prefix, err error) {
	for part := range strings.SplitSeq(v.Get(name), ",") {
		if part = strings.TrimSpace(part); part == "" {
			continue
		}
		p, err := netip.ParsePrefix(part)
		if a, single := netip.ParseAddr(part); single == nil {
			p, err = netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()), nil
		}
		if err != nil {
			return nil, fmt.Errorf("%s, from %s: invalid address or network %q", name, v[name].From, part)
		}
		list = append(list, p.Masked())
	}
	return list, nil
}

// AddFlags adds a flag for every setting, and --config for the file.
func AddFlags(flags *pflag.FlagSet) {
	flags.String("config", "", "settings file (YAML); $SWITCHBACK_CONFIG names one too")
	for _, s := range all {
		flags.String(s.Name, s.Default, s.Usage)
	}
}

// Load reads the settings. A file that is named must be there; a name in it
// that is no setting is an error.
func Load(flags *pflag.FlagSet) (Values, error) {
	out := Values{}
	for _, s := range all {
		out[s.Name] = Value{s, s.Default, "default"}
	}
	if err := out.fromFile(fileName(flags)); err != nil {
		return nil, err
	}
	for _, s := range all {
		for _, name := range []string{s.was, s.Name} {
			variable := Variable(name)
			if text := os.Getenv(variable); name != "" && text != "" {
				out[s.Name] = Value{s, text, variable}
			}
		}
		if f := flags.Lookup(s.Name); f != nil && f.Changed {
			out[s.Name] = Value{s, f.Value.String(), "--" + s.Name}
		}
	}
	return out, nil
}

func fileName(flags *pflag.FlagSet) string {
	if f := flags.Lookup("config"); f != nil && f.Changed {
		return f.Value.String()
	}
	return os.Getenv(Prefix + "CONFIG")
}

func (v Values) fromFile(name string) error {
	if name == "" {
		return nil
	}
	k := koanf.New("/")
	if err := k.Load(file.Provider(name), yaml.Parser()); err != nil {
		return fmt.Errorf("settings file %s: %w", name, err)
	}
	for _, key := range k.Keys() {
		text := k.String(key)
		key = present(key)
		if _, known := v[key]; !known {
			return fmt.Errorf("settings file %s: %q is no setting; these are: %s", name, key, strings.Join(names(), ", "))
		}
		v[key] = Value{v[key].Setting, text, name}
	}
	return nil
}

// Variable is the environment variable of a setting.
func Variable(name string) string {
	return Prefix + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
}

// present is the name that a setting has now.
func present(name string) string {
	for _, s := range all {
		if name != "" && s.was == name {
			return s.Name
		}
	}
	return name
}

func names() []string {
	var out []string
	for _, s := range all {
		out = append(out, s.Name)
	}
	return out
}

var password = regexp.MustCompile(`^([^:@]*):[^@]*@`)

// maskDSN hides the password of a DSN.
func maskDSN(dsn string) string { return password.ReplaceAllString(dsn, "$1:***@") }
