// Package wording_test holds what the program says against a list of retired words. The words
// and what to say in their place are in retired.json, which the front end's test reads too.
package wording_test

import (
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
)

// retired is a pattern that is said no more, and what is said in its place.
type retired struct {
	not *regexp.Regexp
	say string
}

func words(t *testing.T) (list []retired) {
	text, err := os.ReadFile("retired.json")
	require.NoError(t, err)
	var all []struct {
		Say string
		Not []string
	}
	require.NoError(t, json.Unmarshal(text, &all))
	for _, r := range all {
		for _, not := range r.Not {
			list = append(list, retired{regexp.MustCompile("(?i)" + not), r.Say})
		}
	}
	return list
}

// stored are texts that nobody reads: the fields of plan version 1, and names under which
// secrets were sealed.
func stored(file, text string) bool {
	return strings.HasPrefix(file, "internal/core/document/") || file == "internal/core/plan/sip.go" && (text == "ours" || text == "theirs")
}

// What the program says is in its string literals and in the descriptions of its fields.
func TestNoRetiredWordIsInTheProgram(t *testing.T) {
	list, root, seen := words(t), calltest.Root(), 0
	for _, dir := range []string{"cmd", "internal"} {
		require.NoError(t, filepath.WalkDir(filepath.Join(root, dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			file, err := filepath.Rel(root, path)
			require.NoError(t, err)
			literals(t, path, func(line int, text string) {
				seen++
				for _, r := range list {
					if hit := r.not.FindString(text); hit != "" && !stored(file, text) {
						t.Errorf("%s:%d: %q in %q; say: %s", file, line, hit, text, r.say)
					}
				}
			})
			return nil
		}))
	}
	assert.Greater(t, seen, 5_000, "it reads the whole program")
}

// literals calls back with each string of a Go file; of the tags of fields with what they are for.
func literals(t *testing.T, path string, found func(line int, text string)) {
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, path, nil, 0)
	require.NoError(t, err)
	ast.Inspect(f, func(n ast.Node) bool {
		if field, ok := n.(*ast.Field); ok && field.Tag != nil {
			tag, err := strconv.Unquote(field.Tag.Value)
			require.NoError(t, err)
			field.Tag.Value = strconv.Quote(reflect.StructTag(tag).Get("doc"))
		}
		if lit, ok := n.(*ast.BasicLit); ok && lit.Kind == token.STRING {
			text, err := strconv.Unquote(lit.Value)
			require.NoError(t, err)
			found(set.Position(lit.Pos()).Line, text)
		}
		return true
	})
}

// code is what Markdown shows as it is typed: names of the demo and of files.
var code = regexp.MustCompile("(?s)```.*?```|`[^`]*`")

// The guides and the titles of decisions speak as the program does.
func TestNoRetiredWordIsInTheGuides(t *testing.T) {
	list, docs := words(t), filepath.Join(calltest.Root(), "docs")
	read := func(path string) string {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		return code.ReplaceAllString(string(text), "")
	}
	pages := map[string]string{"README.md": read(filepath.Join(docs, "..", "README.md"))}
	for _, name := range []string{"getting-started", "connect-a-phone-system", "route-in", "route-out", "install", "settings", "health"} {
		pages[name] = read(filepath.Join(docs, name+".md"))
	}
	decisions, err := filepath.Glob(filepath.Join(docs, "decisions", "*.md"))
	require.NoError(t, err)
	require.NotEmpty(t, decisions)
	for _, path := range decisions {
		title, _, _ := strings.Cut(read(path), "\n")
		pages[filepath.Base(path)] = title
	}
	for name, text := range pages {
		for i, line := range strings.Split(text, "\n") {
			for _, r := range list {
				if hit := r.not.FindString(line); hit != "" {
					t.Errorf("%s:%d: %q; say: %s", name, i+1, hit, r.say)
				}
			}
		}
	}
}

// A word is retired by a pattern that it matches, or the list holds nothing.
func TestTheListFindsWhatItIsFor(t *testing.T) {
	list := words(t)
	for _, text := range []string{"set by hand", "Nobody answers", "it stands twice", "Take it back", "ports for sound", "needs leave", "worth a look", "what they ask for", "our side"} {
		hit := false
		for _, r := range list {
			hit = hit || r.not.MatchString(text)
		}
		assert.True(t, hit, text)
	}
	for _, text := range []string{"set out of service", "send via ostrel", "back to the list", "the hours"} {
		for _, r := range list {
			assert.NotRegexp(t, r.not, text)
		}
	}
}
