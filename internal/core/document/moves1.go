package document

import (
	"reflect"

	"switchback.example/switchback/internal/core/document/version1"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// What became of version 1 in version 2: settings have the words of their standards, and what only
// SIP has stands in the link of a trunk and among the listeners of a switch.

// version1Kinds are the rows of version 1.
var version1Kinds = map[string]struct {
	is    string
	shape reflect.Type
	now   reflect.Type
	moves object
}{
	"switch":      {string(plan.KindSwitch), reflect.TypeFor[version1.Switch](), reflect.TypeFor[plan.Switch](), switchMoves},
	"farEnd":      {string(plan.KindFarEnd), reflect.TypeFor[version1.FarEnd](), reflect.TypeFor[plan.FarEnd](), farEndMoves},
	"trunk":       {string(plan.KindTrunk), reflect.TypeFor[version1.Trunk](), reflect.TypeFor[plan.Trunk](), trunkMoves},
	"table":       {string(plan.KindTable), reflect.TypeFor[version1.Table](), reflect.TypeFor[plan.Table](), tableMoves},
	"rule":        {string(plan.KindRule), reflect.TypeFor[version1.Rule](), reflect.TypeFor[plan.Rule](), ruleMoves},
	"path":        {string(plan.KindPath), reflect.TypeFor[version1.Path](), reflect.TypeFor[plan.Path](), pathMoves},
	"destination": {string(plan.KindDestination), reflect.TypeFor[version1.Destination](), reflect.TypeFor[plan.Destination](), destinationMoves},
	"group":       {string(plan.KindCallerGroup), reflect.TypeFor[version1.Group](), reflect.TypeFor[plan.CallerGroup](), callerGroupMoves},
	"hours":       {string(plan.KindCalendar), reflect.TypeFor[version1.Hours](), reflect.TypeFor[plan.Calendar](), calendarMoves},
	"check":       {string(plan.KindCheck), reflect.TypeFor[version1.Check](), reflect.TypeFor[plan.Check](), checkMoves},
	"numbers":     {string(plan.KindNumbers), reflect.TypeFor[version1.Page](), reflect.TypeFor[inventory.Page](), object{"numbers": {of: numberMoves}}},
}

var planMoves = object{
	"version":      {set: 2},
	"switches":     {of: switchMoves},
	"farEnds":      {of: farEndMoves},
	"trunks":       {of: trunkMoves},
	"tables":       {of: tableMoves},
	"paths":        {of: pathMoves},
	"destinations": {of: destinationMoves},
	"groups":       {to: "callerGroups", of: callerGroupMoves},
	"hours":        {to: "calendars", of: calendarMoves},
	"checks":       {of: checkMoves},
	"numbers":      {of: numberMoves},
}

var switchMoves = object{
	"sip":   {to: "listeners/sip/address"},
	"tls":   {to: "listeners/sip/tlsAddress"},
	"realm": {to: "listeners/sip/realm"},
	"region": {of: object{
		"classes": {of: object{"numbers": {to: "numberPattern"}}},
	}},
	"gate": {to: "unknownSources", of: object{
		"unknown":            {to: "policy", values: map[string]string{"silence": plan.UnknownDrop}},
		"failures":           {to: "failedAttempts"},
		"shutHours":          {to: "blockHours"},
		"strangersPerSecond": {to: "unknownPerSecond"},
		"sourcePerSecond":    {to: "perSourcePerSecond"},
	}},
	"media": {of: object{"first": {to: "firstPort"}, "last": {to: "lastPort"}}},
}

var farEndMoves = object{
	"kind": {values: map[string]string{"peer": string(plan.PeerNetwork)}},
}

var trunkMoves = object{
	"kind":        {gone: true}, // the link says it
	"peer":        {to: "oppositeTrunk"},
	"kept":        {to: "reserved"},
	"longestCall": {to: "maxCallSeconds"},
	"entry":       {to: "inboundTable"},
	"in": {of: object{
		"called": {to: "calledFormat"},
		"before": {to: "calledPrefix"},
		"caller": {to: "callerFormat"},
	}},
	"out":       {of: object{"called": {of: formatMoves}, "caller": {of: formatMoves}}},
	"tag":       {to: "namePrefix"},
	"ring":      {to: "alertInfo"},
	"digits":    {to: "overlap", of: object{"oneByOne": {to: "enabled"}, "firstMs": {to: "firstDigitMs"}}},
	"mayGoBack": {to: "hairpin"},
	"sip":       {to: "link/sip", of: sipMoves},
	"media":     {of: object{"way": {to: "path"}, "packetMs": {to: "ptimeMs"}, "keys": {to: "telephoneEvents"}}},
	"services": {of: object{
		"diverts":      {to: "forwarding"},
		"transfers":    {to: "transfer"},
		"takesOver":    {to: "replaces"},
		"joinsOutside": {to: "trunkToTrunk"},
		"notifies":     {to: "mwiAccept"},
		"lamps":        {to: "blf"},
	}},
	"theirs": {to: "farEndSettings", of: object{
		"callsTo":   {to: "remoteAddress"},
		"listensOn": {to: "listenAddresses"},
		"registers": {to: "registration", values: registrationWords},
		"user":      {to: "inboundUser"},
		"ourUser":   {to: "outboundUser"},
		"gives":     {to: "inboundFormat"},
		"takes":     {to: "outboundFormat"},
	}},
}

var formatMoves = object{
	"home":    {to: "domestic"},
	"foreign": {to: "international"},
	"private": {to: "extension"},
}

var registrationWords = map[string]string{
	"nobody": plan.RegistrationNone, "they": plan.RegistrationInbound, "we": plan.RegistrationOutbound,
}

var sipMoves = object{
	"address":          {to: "remoteAddress"},
	"lookup":           {to: "dnsName"},
	"proxy":            {to: "outboundProxy"},
	"public":           {to: "publicAddress"},
	"serverName":       {to: "tlsServerName"},
	"showsCertificate": {to: "requireCertificate"},
	"trusted":          {to: "trustedAddresses"},
	"proof":            {to: "inboundAuth", values: map[string]string{"address": plan.AuthSourceAddress, "credential": plan.AuthDigest}},
	"digest":           {to: "digestAlgorithm"},
	"registers":        {to: "registration", values: registrationWords},
	"theirAccounts":    {to: "inboundAccounts"},
	"ourAccounts":      {to: "outboundAccounts"},
	"domain":           {to: "requestDomain"},
	"trunkGroup":       {to: "requestTrunkGroup"},
	"calledIn":         {to: "calledPattern"},
	"numbers":          {to: "numberUri"},
	"watchSeconds":     {to: "optionsIntervalSeconds"},
	"sessionSeconds":   {to: "sessionExpiresSeconds"},
}

var tableMoves = object{
	"form":   {to: "format"},
	"policy": {to: "order"},
	"rules":  {of: ruleMoves},
}

var whenMoves = object{"hours": {to: "calendar"}}

var ruleMoves = object{
	"match": {of: object{
		"from":       {to: "trunks"},
		"fromGroups": {to: "trunkGroups"},
		"when":       {of: whenMoves},
	}},
	"called": {to: "calledSteps", of: stepMoves},
	"caller": {to: "callerSteps", of: stepMoves},
	"then": {of: object{
		"refuse":   {to: "rejectCause"},
		"setHours": {to: "setCalendar", of: object{"hours": {to: "calendar"}}},
	}},
	"for":        {to: "callerGroups"},
	"lastResort": {to: "catchAll"},
}

var stepMoves = object{
	"op": {values: map[string]string{
		"drop-first": "remove-first", "drop-last": "remove-last", "put-before": "add-prefix", "put-after": "add-suffix",
		"replace-with": "replace-all", "to-form": "convert-to", "read-as": "interpret-as",
	}},
	"form": {to: "format"},
}

var pathMoves = object{
	"choices":      {of: object{"called": {to: "calledSteps", of: stepMoves}, "caller": {to: "callerSteps", of: stepMoves}}},
	"timers":       {of: object{"onlyTryingMs": {to: "only100Ms"}, "unansweredMs": {to: "ringingMs"}}},
	"goOn":         {to: "failoverCauses"},
	"stop":         {to: "stopCauses"},
	"afterRinging": {to: "failoverAfterRinging"},
	"maxTries":     {to: "maxAttempts"},
}

var destinationMoves = object{"numbers": {to: "numberPattern"}}

var callerGroupMoves = object{
	"callers": {to: "callerPattern"},
	"table":   {to: "inboundTable"},
	"may":     {to: "permissions", of: object{"when": {of: whenMoves}}},
}

var calendarMoves = object{
	"more":      {to: "overrideOnlyStates"},
	"otherwise": {to: "defaultState"},
}

var checkMoves = object{
	"dial":   {to: "called"},
	"at":     {to: "simulate/time"},
	"down":   {to: "simulate/down"},
	"full":   {to: "simulate/full"},
	"byHand": {to: "simulate/overrides"},
	"expect": {to: "expected", of: object{
		"trunk":  {to: "trunkOut"},
		"called": {to: "calledOut"},
		"caller": {to: "callerOut"},
	}},
}

var numberMoves = object{
	"busy": {to: "forwardOnBusy"},
	"tag":  {to: "namePrefix"},
	"ring": {to: "alertInfo"},
}
