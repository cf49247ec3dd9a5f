// Package arch holds the direction of dependencies: cmd -> app -> {api, live,
// store, standin} -> core, and inside the core from digits upwards.
package arch

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/campaign"
)

const module = "switchback.example/switchback/"

// may lists, for each part, the parts that it may import. A part that is not
// listed is a part that somebody forgot to think about.
var may = map[string]string{
	"internal/core/digits":            "",
	"internal/core/cause":             "",
	"internal/core/wire/sip":          "",
	"internal/core/wire/sdp":          "",
	"internal/core/media":             "core/wire/sdp",
	"internal/core/targets":           "",
	"internal/core/machine":           "",
	"internal/core/guard":             "",
	"internal/core/standing":          "core/digits",
	"internal/core/judge":             "core/guard core/numbering core/plan core/standing core/targets",
	"internal/core/numbering":         "core/digits",
	"internal/core/rewrite":           "core/digits core/numbering",
	"internal/core/hours":             "",
	"internal/core/inventory":         "core/digits",
	"internal/core/strict":            "",
	"internal/core/document":          "core/document/version1 core/inventory core/plan core/strict",
	"internal/core/document/version1": "",
	"internal/core/plan":              "core/digits core/hours core/inventory core/numbering core/rewrite",
	"internal/core/ical":              "core/hours",
	"internal/core/inbound":           "core/trail core/decide core/digits core/inventory core/numbering core/plan core/rewrite",
	"internal/core/impact":            "core/trail core/decide",
	"internal/core/editor":            "core/plan",
	"internal/core/profile":           "core/editor core/numbering core/plan",
	"internal/core/guide":             "core/trail core/findings core/decide core/digits core/numbering core/plan core/rewrite",
	"internal/core/callerid":          "core/digits core/numbering",
	"internal/core/trail":             "core/callerid core/cause core/digits core/numbering",
	"internal/core/compiled":          "core/cause core/digits core/hours core/inventory core/numbering core/plan core/rewrite core/trail",
	"internal/core/findings":          "core/callerid core/cause core/compiled core/decide core/digits core/numbering core/plan core/trail",
	"internal/core/decide":            "core/callerid core/compiled core/trail core/digits core/hours core/inventory core/numbering core/rewrite core/plan core/cause",
	"internal/core/call":              "core/cause core/decide core/digits core/media core/plan core/trail",
	"internal/core/record":            "core/trail core/media core/wire/sip",
	"internal/live":                   "core/",
	"internal/live/media":             "core/media",
	"internal/live/names":             "core/targets",
	"internal/live/call":              "core/call core/callerid core/cause core/decide core/digits core/judge core/media core/numbering core/plan core/record core/standing core/trail live/media live",
	"internal/live/sip":               "core/ live",
	"internal/store":                  "core/",
	"internal/store/storetest":        "store",
	"internal/standin":                "core/digits core/media",
	"internal/webapp":                 "",
	"internal/archive":                "core/record",
	"internal/api":                    "core/ archive live store standin webapp",
	"internal/demo":                   "core/document core/plan core/rewrite standin",
	"internal/door":                   "",
	"internal/app":                    "core/ archive live api door store standin",
	"internal/apitest":                "core/ api archive live livetest standin store",
	"internal/apptest":                "core/plan apitest app demo door live livetest standin store",
	"internal/wording":                "calltest",
	"internal/settings":               "",
	"internal/campaign":               "",
	"internal/calltest":               "core/ demo",
	"internal/livetest":               "core/ live standin demo",
	"internal/arch":                   "campaign",
	"cmd/switchback":                  "core/ app api archive demo settings store",
}

// notInCore may not be imported by the core: it knows nothing of sockets, clocks,
// databases, HTTP or logs. withMoments have times, as data; none asks what time it is.
var notInCore = []string{"net", "net/http", "os", "database/sql", "log", "log/slog", "time", "context", "math/rand", "github.com/emiago/"}

var (
	withMoments = []string{"internal/core/guard", "internal/core/standing", "internal/core/judge", "internal/core/record", "internal/core/hours", "internal/core/plan", "internal/core/compiled", "internal/core/decide", "internal/core/ical", "internal/core/inbound", "internal/core/impact"}
	clocks      = regexp.MustCompile(`\btime\.(Now|Since|Until|Sleep|After|AfterFunc|Tick|NewTimer|NewTicker)\b`)
)

func TestTheCoreHasNoClock(t *testing.T) {
	require.NoError(t, filepath.WalkDir("../core", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		source, err := os.ReadFile(path)
		require.NotRegexp(t, clocks, string(source), path)
		return err
	}))
}

// touch opens every source file, so that a result that go test remembers does not
// outlive the code that it was for: what "go list" reads is not known to it.
func touch(t *testing.T) {
	require.NoError(t, filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && len(d.Name()) > 2 || d.Name() == "web") {
			return filepath.SkipDir
		}
		if strings.HasSuffix(path, ".go") {
			_, err = os.ReadFile(path)
		}
		return err
	}))
}

func TestDirectionOfDependencies(t *testing.T) {
	touch(t)
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}{{range .Imports}} {{.}}{{end}}`, module+"...").Output()
	require.NoError(t, err)
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		words := strings.Fields(line)
		part := strings.TrimPrefix(words[0], module)
		allowed, known := may[part]
		require.True(t, known, "say in this test what %s may import", part)
		for _, imported := range words[1:] {
			if strings.HasPrefix(part, "internal/core/") && !(slices.Contains(withMoments, part) && imported == "time") {
				for _, banned := range notInCore {
					require.False(t, imported == banned || strings.HasSuffix(banned, "/") && strings.HasPrefix(imported, banned), "%s imports %s: the core is pure", part, imported)
				}
			}
			if other, ours := strings.CutPrefix(imported, module+"internal/"); ours {
				require.True(t, allows(allowed, other), "%s imports %s, which it may not", part, other)
			}
		}
	}
}

// never are parts that a part may not import, whatever it may: call control knows no protocol.
var never = map[string][]string{
	"internal/core/call": {"core/wire", "core/machine"},
	"internal/live/call": {"core/wire", "core/machine", "live/sip"},
	"internal/live":      {"live/"},
}

func TestCallControlKnowsNoProtocol(t *testing.T) {
	touch(t)
	for part, banned := range never {
		out, err := exec.Command("go", "list", "-f", `{{join .Imports " "}}`, module+part).Output()
		require.NoError(t, err)
		for _, imported := range strings.Fields(string(out)) {
			other, ours := strings.CutPrefix(imported, module+"internal/")
			for _, b := range banned {
				require.False(t, ours && (other == b || strings.HasPrefix(other, strings.TrimSuffix(b, "/")+"/")), "%s imports %s", part, other)
			}
		}
	}
}

// Nobody outside the plan and SIP's own carrier reads the SIP settings of a trunk: they read what a
// link says of itself (plan.Signalling), whatever its protocol. Test benches may write them.
var sipSettings = regexp.MustCompile(`\.Link\.SIP\b|plan\.SIP\{`)

func TestNobodyElseReadsSIPSettings(t *testing.T) {
	var found []string
	require.NoError(t, filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name := strings.TrimPrefix(filepath.ToSlash(path), "../../")
		if d.IsDir() && (name == "web" || name == "e2e" || strings.HasPrefix(d.Name(), ".") && d.Name() != "..") {
			return fs.SkipDir
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") || strings.HasPrefix(name, "internal/core/plan/") || strings.HasPrefix(name, "internal/live/sip/") || strings.HasPrefix(name, "internal/livetest/") || strings.HasPrefix(name, "internal/calltest/") {
			return nil
		}
		source, err := os.ReadFile(path)
		if sipSettings.Match(source) {
			found = append(found, name)
		}
		return err
	}))
	require.Empty(t, found)
}

func allows(allowed, part string) bool {
	for _, a := range strings.Fields(allowed) {
		if part == a || strings.HasSuffix(a, "/") && strings.HasPrefix(part, a) || strings.HasPrefix(part, a+"/") {
			return true
		}
	}
	return false
}

// Each protocol that carries calls has attacks of its own, or it was never tried.
func TestEachProtocolHasItsAttacks(t *testing.T) {
	const describes = "sdp" // what calls carry, and no protocol of calls
	dirs, err := os.ReadDir("../core/wire")
	require.NoError(t, err)
	for _, d := range dirs {
		if name := d.Name(); name != describes {
			require.Contains(t, campaign.Generators, name, "internal/campaign has no generator for it")
			found, err := os.ReadFile("../live/" + name + "/campaign_test.go")
			require.NoError(t, err, "and a test sends what it generates")
			require.Contains(t, string(found), `campaign.Generators["`+name+`"]`)
		}
	}
}
