import { type Kind, name, note, resorts, type Setting, switches } from "./model";
import { trunkKind } from "./trunk";

/** Emergency numbers as lines: the number, and its service behind it. */
const emergencyRows: Setting["rows"] = {
  write: (value) =>
    ((value as { number: string; service?: string }[] | undefined) ?? []).map((e) =>
      e.service === undefined ? e.number : `${e.number} ${e.service}`,
    ),
  read: (lines) =>
    lines.map((line) => {
      const space = line.search(/\s/);
      if (space < 0) return { number: line };
      return { number: line.slice(0, space), service: line.slice(space + 1).trimStart() };
    }),
  tidy: (value) =>
    (value as { number: string; service?: string }[])
      .filter((e) => e.number !== "")
      .map((e) => (e.service ? e : { number: e.number })),
};

const switchKind: Kind = {
  name: "switches",
  one: "switch",
  many: "Switches",
  change: "switch",
  make: () => ({ id: "", name: "", region: { country: "" }, listeners: { sip: { address: "" } } }),
  sections: [
    {
      title: "Where it is",
      settings: [
        name,
        { at: "region/country", label: "Country", kind: "text", hint: "two letters, ISO 3166" },
        {
          at: "region/area",
          label: "Area code",
          kind: "digits",
          hint: "as it is dialled within the country, without the trunk prefix",
        },
        {
          at: "region/local",
          label: "Further local areas",
          kind: "lines",
          empty: "none",
          hint: "area codes that cost what local calls do, one a line",
        },
        {
          at: "region/emergency",
          label: "Emergency numbers of the site",
          kind: "lines",
          empty: "none",
          rows: emergencyRows,
          hint: "beside those of the country; one a line, with its service behind it, such as fire (RFC 5031)",
        },
        { at: "region/timeZone", label: "Time zone", kind: "text", hint: "IANA name" },
        {
          at: "ownNumbers",
          label: "Calls to own public numbers",
          kind: "choice",
          options: [
            ["", "stay inside"],
            ["outside", "leave by the plan"],
          ],
          hint: "dialled outside by a phone, and in the inventory",
        },
        {
          at: "lastResort",
          label: "Last resort",
          kind: "one-of",
          empty: "none: a wrong number is told so",
          among: (p, o) => resorts(p, o.id),
          hint: "who answers calls from outside whose number nobody has; no second try",
        },
        {
          at: "listeners/sip/address",
          label: "Listens on",
          kind: "digits",
          hint: "address and port, UDP and TCP",
        },
        { at: "media/address", label: "Address for sound", kind: "digits", empty: "the same" },
        {
          at: "media/firstPort",
          label: "Ports for sound from",
          kind: "number",
          empty: "20000",
          hint: "a call through the switch takes four",
        },
        { at: "media/lastPort", label: "to", kind: "number", empty: "29999" },
        {
          at: "listeners/sip/tlsAddress",
          label: "Listens for TLS on",
          kind: "digits",
          empty: "nowhere",
          hint: "its certificate is a file beside the program",
        },
        {
          at: "listeners/sip/realm",
          label: "Realm",
          kind: "text",
          empty: "its id",
          hint: "what it calls itself when it asks for a credential",
        },
      ],
    },
    {
      title: "Gate",
      about:
        "How it meets sources that it does not know or that fail. Addresses from which a trunk works are slowed and never blocked.",
      settings: [
        {
          at: "unknownSources/policy",
          label: "A call of no trunk gets",
          kind: "choice",
          options: [
            ["", "silence"],
            ["401", "a challenge, 401"],
            ["403", "a refusal, 403"],
          ],
        },
        {
          at: "unknownSources/failedAttempts",
          label: "Blocked after",
          kind: "number",
          unit: "failures",
          empty: "5",
        },
        { at: "unknownSources/windowMinutes", label: "within", kind: "number", unit: "minutes", empty: "10" },
        { at: "unknownSources/blockHours", label: "for", kind: "number", unit: "hours", empty: "24" },
        {
          at: "unknownSources/callsPerSecond",
          label: "One address may begin",
          kind: "number",
          unit: "calls a second",
          empty: "50",
        },
        {
          at: "unknownSources/unknownPerSecond",
          label: "All strangers may send",
          kind: "number",
          unit: "messages a second",
          empty: "500",
          hint: "who has not registered yet is a stranger too; what is past it is dropped unread",
        },
        {
          at: "unknownSources/perSourcePerSecond",
          label: "One of them",
          kind: "number",
          unit: "messages a second",
          empty: "20",
        },
      ],
    },
  ],
};

const farEndKind: Kind = {
  name: "farEnds",
  one: "far end",
  many: "Far ends",
  change: "farEnd",
  make: () => ({ id: "", name: "", kind: "carrier" }),
  sections: [
    {
      title: "What it is",
      settings: [
        name,
        {
          at: "kind",
          label: "Kind",
          kind: "choice",
          hint: "calls from outside to outside are told apart by it",
          options: [
            ["phone-system", "phone system"],
            ["carrier", "carrier"],
            ["gateway", "gateway"],
            ["peer-network", "peer network"],
            ["application", "application"],
          ],
        },
        { at: "site", label: "Site", kind: "text" },
        note,
      ],
    },
  ],
};

const pathKind: Kind = {
  name: "paths",
  one: "path",
  many: "Paths",
  change: "path",
  make: (p) => ({ id: "", name: "", switch: p.switches[0]?.id ?? "", choices: [], timers: {} }),
  sections: [
    {
      title: "Trunks",
      settings: [
        name,
        switches,
        {
          at: "order",
          label: "Order",
          kind: "choice",
          options: [
            ["", "as listed"],
            ["cheapest-first", "cheapest first"],
            ["by-weight", "by weight"],
            ["round-robin", "round robin"],
          ],
        },
        { at: "maxAttempts", label: "Tries at most", kind: "number", empty: "every trunk" },
      ],
      special: "choices",
    },
    {
      title: "When to go on to the next",
      settings: [
        {
          at: "timers/noResponseMs",
          label: "Nothing at all came back",
          kind: "number",
          unit: "ms",
          empty: "3000",
        },
        {
          at: "timers/only100Ms",
          label: "100 came, and nothing else",
          kind: "number",
          unit: "ms",
          empty: "9000",
        },
        {
          at: "timers/ringingMs",
          label: "It rang, nobody answered",
          kind: "number",
          unit: "ms",
          empty: "60000",
        },
        {
          at: "failoverAfterRinging",
          label: "Go on even after the caller heard ringing or early media",
          kind: "flag",
        },
        {
          at: "failoverCauses",
          label: "Causes to go on",
          kind: "causes",
          hint: "Q.850, in addition to the usual ones",
        },
        {
          at: "stopCauses",
          label: "Causes to end on",
          kind: "causes",
          hint: "Q.850, in addition to the usual ones",
        },
        note,
      ],
    },
  ],
};

const destinationKind: Kind = {
  name: "destinations",
  one: "destination",
  many: "Destinations",
  change: "destination",
  make: () => ({ id: "", name: "", kind: "extension", trunk: "" }),
  sections: [
    {
      title: "What answers",
      settings: [
        name,
        {
          at: "kind",
          label: "Kind",
          kind: "choice",
          options: ["extensions", "extension", "group", "menu", "queue", "voicemail", "outside"].map(
            (k) => [k, k] as const,
          ),
        },
        { at: "trunk", label: "Reached by trunk", kind: "one-of", among: (p) => p.trunks },
        { at: "number", label: "Number sent there", kind: "digits", empty: "the called number" },
        {
          at: "numberPattern",
          label: "Numbers that exist there",
          kind: "digits",
          hint: "dial pattern; the called number must be one of them",
        },
        note,
      ],
    },
  ],
};

const groupKind: Kind = {
  name: "callerGroups",
  one: "caller group",
  many: "Caller groups",
  change: "callerGroup",
  make: () => ({ id: "", name: "", permissions: [] }),
  ordered: {
    about: "A call belongs to the first group that it matches",
    // Behind a group that takes every caller it would never act.
    before: (p) => p.callerGroups?.find((g) => !g.callerPattern)?.id ?? "",
  },
  sections: [
    {
      title: "Who is in it",
      about:
        "A call belongs to the first group of the list that its trunk and its caller match. What the group may call is set in the matrix of the view Callers.",
      settings: [
        name,
        {
          at: "callerPattern",
          label: "Callers",
          kind: "digits",
          empty: "every caller",
          hint: "dial pattern of their numbers as they come, such as 20xx",
        },
        { at: "trunks", label: "By these trunks", kind: "lines", empty: "any", hint: "ids, one a line" },
        {
          at: "inboundTable",
          label: "Their calls enter by",
          kind: "one-of",
          empty: "the entry table of the trunk",
          among: (p) => p.tables,
        },
        note,
      ],
    },
  ],
};

export const hoursKind: Kind = {
  name: "calendars",
  one: "calendar",
  many: "Hours",
  change: "calendar",
  make: () => ({ id: "", name: "", week: [], defaultState: "night" }),
  sections: [
    {
      title: "When it is what",
      settings: [
        name,
        { at: "timeZone", label: "Time zone", kind: "text", empty: "that of the switch", hint: "IANA name" },
        { at: "defaultState", label: "State at all other times", kind: "text" },
        {
          at: "overrideOnlyStates",
          label: "Further states, by hand only",
          kind: "lines",
          empty: "none",
          hint: "such as storm, one a line; set in the view Hours, or by a dialled code",
        },
        note,
      ],
    },
    { title: "What it comes to", special: "month" },
    { title: "The week", special: "week" },
    { title: "Dates and public holidays", special: "dates" },
  ],
};

export const kinds: Kind[] = [
  switchKind,
  farEndKind,
  trunkKind,
  pathKind,
  destinationKind,
  groupKind,
  hoursKind,
];
