package plan

import (
	"fmt"
	"regexp"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/numbering"
)

// Group is callers who may call the same. A call belongs to the first group of the plan
// that its trunk and its caller match; calls of no group are not held back.
type CallerGroup struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// Callers is a dial pattern of their numbers as they come, such as 20xx; empty is
	// every caller, also one without a number.
	CallerPattern string `json:"callerPattern,omitempty" maxLength:"2000"`
	// Trunks are those by which they call; empty is any.
	Trunks []string `json:"trunks,omitempty" ref:"trunk" maxItems:"1000"`
	// Table is where their calls enter, in place of the trunk's entry table.
	InboundTable string `json:"inboundTable,omitempty" ref:"table"`
	// May are the classes of calls that they may make. Emergency calls everybody may.
	Permissions []Permission `json:"permissions" nullable:"false" maxItems:"100"`
	Note        string       `json:"note,omitempty"`
}

// Leave is a class of calls that a group may make, always or in some states of a
// calendar.
type Permission struct {
	Class numbering.Class `json:"class" enum:"internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	When  When            `json:"when,omitzero"`
}

// ClassRule puts numbers in a class, before what the numbering plan of the country
// says.
type ClassRule struct {
	NumberPattern string          `json:"numberPattern" doc:"Dial pattern of numbers in E.164" maxLength:"2000"`
	Class         numbering.Class `json:"class"`
	Note          string          `json:"note,omitempty"`
}

// Zone is the time zone of the switch's site; UTC where none is set.
func (sw Switch) Zone() *time.Location {
	z, err := hours.Zone(sw.Region.TimeZone)
	if err != nil {
		return time.UTC
	}
	return z
}

// Compile is the region as package numbering has it, with the site's own classes.
func (r Region) Compile() (numbering.Region, error) {
	out, err := numbering.NewRegion(r.Country, r.Area)
	if err != nil {
		return out, err
	}
	out.AlsoLocal(r.Local...)
	for i, e := range r.Emergency {
		n, err := digits.ParseNumber(e.Number)
		if err != nil {
			return out, fmt.Errorf("emergency/%d: %w", i, err)
		}
		out.AlsoEmergency(n)
		if e.Service != "" {
			out.AddService(e.Service, n)
		}
	}
	for i, c := range r.Classes {
		p, err := digits.Compile(c.NumberPattern)
		if err != nil {
			return out, fmt.Errorf("classes/%d: %w", i, err)
		}
		out.Override(c.Class, p)
	}
	return out, nil
}

func (v *validator) region(at string, r Region) {
	if _, err := numbering.NewRegion(r.Country, r.Area); err != nil {
		v.bad(at, "%s", err)
	}
	if _, err := hours.Zone(r.TimeZone); err != nil {
		v.bad(at+"/timeZone", "%s", err)
	}
	for i, prefix := range r.Local {
		if n, err := digits.ParseNumber(prefix); err != nil || n.Empty() || !n.Digits() || n.Plus() {
			v.bad(fmt.Sprintf("%s/local/%d", at, i), "%q is no area code; give it in digits, without the national prefix", prefix)
		}
	}
	for i, e := range r.Emergency {
		v.emergencyNumber(fmt.Sprintf("%s/emergency/%d", at, i), e)
	}
	for i, c := range r.Classes {
		here := fmt.Sprintf("%s/classes/%d", at, i)
		if v.pattern(here+"/numberPattern", c.NumberPattern); c.NumberPattern == "" {
			v.bad(here+"/numberPattern", "is empty and would match every number")
		}
		v.class(here+"/class", c.Class)
	}
}

// serviceLabels are labels of a service URN (RFC 5031 section 4.1).
var serviceLabels = regexp.MustCompile(`^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)*$`)

func (v *validator) emergencyNumber(at string, e EmergencyNumber) {
	if n, err := digits.ParseNumber(e.Number); err != nil {
		v.bad(at+"/number", "%s", err)
	} else if n.Empty() || n.Plus() {
		v.bad(at+"/number", "invalid emergency number %q; use the digits dialled, without a prefix", e.Number)
	}
	if e.Service != "" && !serviceLabels.MatchString(e.Service) {
		v.bad(at+"/service", "invalid emergency service %q; use the labels after sos in its URN, such as fire (RFC 5031)", e.Service)
	}
}

func (v *validator) class(at string, c numbering.Class) {
	if !slices.Contains(numbering.Classes(), c) {
		v.bad(at, "unknown class %q; allowed: %q", c, numbering.Classes())
	}
}

func (v *validator) callerGroup(at string, g CallerGroup) {
	v.named("caller group", at, g.ID, g.Name, g.Note)
	v.pattern(at+"/callerPattern", g.CallerPattern)
	for i, id := range g.Trunks {
		v.known(fmt.Sprintf("%s/trunks/%d", at, i), "trunk", id, v.index.Trunks[id] != nil)
	}
	seen := map[numbering.Class]bool{}
	for i, l := range g.Permissions {
		here := fmt.Sprintf("%s/permissions/%d", at, i)
		if v.class(here+"/class", l.Class); l.Class == numbering.ClassEmergency {
			v.bad(here+"/class", "emergency calls need no permission; remove this entry")
		}
		v.when(here+"/when", l.When)
		if seen[l.Class] {
			v.bad(here+"/class", "duplicate class %s; keep one entry with all its states", l.Class)
		}
		seen[l.Class] = true
	}
	if g.InboundTable == "" {
		return
	}
	v.known(at+"/inboundTable", "table", g.InboundTable, v.index.Tables[g.InboundTable] != nil)
	if len(g.Trunks) == 0 {
		v.bad(at+"/inboundTable", "is on one switch; list the trunks of the group")
	}
	for _, id := range g.Trunks {
		if t := v.index.Trunks[id]; t != nil && t.Switch != v.index.tableSwitch(g.InboundTable) {
			v.bad(at+"/inboundTable", "is on switch %s, and trunk %s on %s", v.index.tableSwitch(g.InboundTable), id, t.Switch)
		}
	}
}
