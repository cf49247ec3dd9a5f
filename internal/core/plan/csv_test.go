package plan_test

import (
	"bytes"
	"encoding/csv"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

func TestDirectoriesComeBackAsTheyWere(t *testing.T) {
	p, err := demo.Plan()
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, csv.NewWriter(&b).WriteAll(plan.Groups.Rows(p.CallerGroups)))
	lines, err := plan.Groups.Read(append([]byte{0xef, 0xbb, 0xbf}, b.Bytes()...))
	require.NoError(t, err)
	require.Len(t, lines, len(p.CallerGroups))
	for i, l := range lines {
		assert.Empty(t, l.Bad)
		assert.Equal(t, p.CallerGroups[i], l.Object)
		assert.Equal(t, i+2, l.Number)
	}
	b.Reset()
	require.NoError(t, csv.NewWriter(&b).WriteAll(plan.Directory.Rows(p.Destinations)))
	there, err := plan.Directory.Read(b.Bytes())
	require.NoError(t, err)
	for i, l := range there {
		assert.Equal(t, p.Destinations[i], l.Object)
	}
}

func TestSheetsTellWhatIsWrongAndWhere(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"empty":      {"", "the file is empty"},
		"UTF-16":     {"\xff\xfei\x00d\x00", "is UTF-16; save it as CSV in UTF-8"},
		"workbook":   {"PK\x03\x04rest", "is a workbook"},
		"ISO 8859-1": {"id,name\ncrew,Caf\xe9\n", "line 2 is not UTF-8"},
		"column":     {"id,phone\n", `line 1: unknown column "phone"; allowed: id`},
		"twice":      {"id,id\n", "duplicate column"},
		"no id":      {"name\n", "no column id"},
		"quote":      {"id,name\n\"crew,Crew\n", "line 2"},
	} {
		_, err := plan.Groups.Read([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
	lines, err := plan.Groups.Read([]byte("may;id;name\ninternal national@office=day|late;crew;Crew\nnational@office;a;A\n;crew;Again\n;b\n;=1+1;@x\n"))
	require.NoError(t, err)
	assert.Empty(t, lines[0].Bad)
	assert.Equal(t, []plan.Permission{{Class: "internal"}, {Class: "national", When: plan.When{Calendar: "office", States: []string{"day", "late"}}}}, lines[0].Object.Permissions)
	for i, want := range map[int]string{1: "is not a permission", 2: "stands in line 2 too", 3: "has 2 cells, and the header 3", 4: "is a formula"} {
		require.NotEmpty(t, lines[i].Bad, want)
		assert.Contains(t, lines[i].Bad[0].Reason, want)
	}
	numbers, err := plan.Directory.Read([]byte("id,number\ndesk,+442079460485\n"))
	require.NoError(t, err)
	assert.Empty(t, numbers[0].Bad, "a number may begin with +")
}

// No cell of an export is computed by a program for tables, and each comes back as it was.
// What such programs compute: OWASP, CSV injection (=, +, -, @, tab, carriage return).
func TestExportsHoldNoFormulas(t *testing.T) {
	for _, cell := range []string{"", "a", "=1+1", "+1", "+441914980101", "-5", "--5", "+", "-", "@x", "\tx", "\rx", "\nx", "'", "''", "'=1", "''=1", "'a", "+44 20", "=", "-2+3", "+cmd|x", "0191 498"} {
		out := plan.Neutral(cell)
		assert.Equal(t, cell, plan.Taken(out), "%q", cell)
		if out != "" && (out[0] == '+' || out[0] == '-') {
			assert.Regexp(t, `^[+-][0-9]+$`, out)
		} else {
			assert.NotRegexp(t, `^[=@\t\r\n]`, out)
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		cell := make([]byte, r.IntN(5))
		for i := range cell {
			cell[i] = "=+-@'\t a1"[r.IntN(9)]
		}
		assert.Equal(t, string(cell), plan.Taken(plan.Neutral(string(cell))))
	}
	g := plan.CallerGroup{ID: "crew", Name: "=HYPERLINK(1)", Note: "'@note", Permissions: []plan.Permission{}}
	var b bytes.Buffer
	rows := [][]string{plan.Groups.Columns, plan.Groups.Row(g)}
	for i := range rows[1] {
		rows[1][i] = plan.Neutral(rows[1][i])
	}
	require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
	lines, err := plan.Groups.Read(b.Bytes())
	require.NoError(t, err)
	assert.Empty(t, lines[0].Bad)
	assert.Equal(t, g, lines[0].Object)
}

// Columns are known in whatever capitals, and by the names that they had before version 2.
func TestColumnsAreKnownByFormerNames(t *testing.T) {
	for _, header := range []string{"id,name,callerPattern,permissions", "ID,Name,CALLERPATTERN,Permissions", "id,name,callers,may"} {
		lines, err := plan.Groups.Read([]byte(header + "\ncrew,Crew,22xx,internal\n"))
		require.NoError(t, err, header)
		assert.Empty(t, lines[0].Bad)
		assert.Equal(t, plan.CallerGroup{ID: "crew", Name: "Crew", CallerPattern: "22xx", Permissions: []plan.Permission{{Class: "internal"}}}, lines[0].Object)
	}
	_, err := plan.Groups.Read([]byte("id,may,permissions\n"))
	assert.ErrorContains(t, err, "duplicate column")
}
