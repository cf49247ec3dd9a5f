package trail

import "bytes"

// Version is that of trails as JSON.
const Version = 2

// version1 are the words of version 1 that are others now. A key or a value of a trail as JSON
// cannot be in a text by accident: quotes are escaped there.
var version1 = [][2]string{
	{`"form":`, `"format":`},
	{`"byHand":`, `"overrides":`},
	{`"kind":"set-hours"`, `"kind":"set-calendar"`},
	{`"setHours":`, `"setCalendar":`},
	{`"kind":"hours"`, `"kind":"calendar"`},
	{`"hours":{`, `"calendar":{`},
	{`"kind":"group"`, `"kind":"callerGroup"`},
	{`"lastResort":`, `"catchAll":`},
	{`"tag":`, `"namePrefix":`},
	{`"tagBy":`, `"namePrefixBy":`},
	{`"ring":`, `"alertInfo":`},
	{`"ringBy":`, `"alertInfoBy":`},
	{`"reason":"goes-back"`, `"reason":"hairpin"`},
	{`"reason":"leave"`, `"reason":"permission"`},
	{`"why":"hours"`, `"why":"calendar"`},
	{`"why":"from"`, `"why":"trunk"`},
}

// Upgrade makes a trail of the present version, as compact JSON, of one of any. What it says in
// words stays as it was said.
func Upgrade(version int, text []byte) []byte {
	if version != 1 {
		return text
	}
	for _, w := range version1 {
		text = bytes.ReplaceAll(text, []byte(w[0]), []byte(w[1]))
	}
	return text
}
