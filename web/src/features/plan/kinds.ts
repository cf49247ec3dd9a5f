import type { Plan } from "@/api/client";

/** The kinds of object that this view edits, by their names in the plan and the API. */
export type KindName = "switches" | "farEnds" | "trunks" | "paths" | "destinations";
export type PlanObject = Plan[KindName][number];

/** One setting of an object. */
export interface Setting {
  /** Where it stands in the object, such as sip/address. */
  at: string;
  label: string;
  kind: "text" | "digits" | "number" | "choice" | "flag" | "lines" | "causes" | "one-of";
  /** What it means, or what follows from it. */
  hint?: string;
  /** What an empty value stands for. */
  empty?: string;
  unit?: string;
  options?: readonly (readonly [value: string, word: string])[];
  /** Objects of the plan that can be named. */
  among?: (plan: Plan, object: PlanObject) => { id: string; name: string }[];
  wide?: boolean;
}

/** Settings that belong together; special ones have an editor of their own. */
export interface Section {
  title: string;
  about?: string;
  settings?: Setting[];
  special?: "accounts" | "choices" | "contract" | "targets";
}

export interface Kind {
  name: KindName;
  one: string;
  many: string;
  /** Its kind in a list of changes. */
  change: string;
  make: (plan: Plan) => PlanObject;
  sections: Section[];
}

const onSwitch =
  (list: (p: Plan) => { id: string; name: string; switch: string }[]) => (plan: Plan, o: PlanObject) =>
    list(plan).filter((x) => !("switch" in o) || x.switch === o.switch);

const switches: Setting = { at: "switch", label: "Switch", kind: "one-of", among: (p) => p.switches };
const note: Setting = { at: "note", label: "Note", kind: "text", wide: true };
const name: Setting = { at: "name", label: "Name", kind: "text" };

const switchKind: Kind = {
  name: "switches",
  one: "switch",
  many: "Switches",
  change: "switch",
  make: () => ({ id: "", name: "", region: { country: "" }, sip: "" }),
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
        { at: "region/timeZone", label: "Time zone", kind: "text", hint: "IANA name" },
        { at: "sip", label: "Listens on", kind: "digits", hint: "address and port, UDP and TCP" },
        { at: "media/address", label: "Address for sound", kind: "digits", empty: "the same" },
        {
          at: "media/first",
          label: "Ports for sound from",
          kind: "number",
          empty: "20000",
          hint: "a call through the switch takes four",
        },
        { at: "media/last", label: "to", kind: "number", empty: "29999" },
        {
          at: "tls",
          label: "Listens for TLS on",
          kind: "digits",
          empty: "nowhere",
          hint: "its certificate is a file beside the program",
        },
        {
          at: "realm",
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
        "How it meets sources that it does not know or that fail. Addresses that a trunk trusts are never shut out.",
      settings: [
        {
          at: "gate/unknown",
          label: "A call of no trunk gets",
          kind: "choice",
          options: [
            ["", "silence"],
            ["401", "a challenge, 401"],
            ["403", "a refusal, 403"],
          ],
        },
        { at: "gate/failures", label: "Shut out after", kind: "number", unit: "failures", empty: "5" },
        { at: "gate/windowMinutes", label: "within", kind: "number", unit: "minutes", empty: "10" },
        { at: "gate/shutHours", label: "for", kind: "number", unit: "hours", empty: "24" },
        {
          at: "gate/callsPerSecond",
          label: "One address may begin",
          kind: "number",
          unit: "calls a second",
          empty: "50",
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
            ["peer", "peer"],
            ["application", "application"],
          ],
        },
        { at: "site", label: "Site", kind: "text" },
        note,
      ],
    },
  ],
};

const trunkKind: Kind = {
  name: "trunks",
  one: "trunk",
  many: "Trunks",
  change: "trunk",
  make: (p) => ({
    id: "",
    name: "",
    kind: "sip",
    switch: p.switches[0]?.id ?? "",
    channels: 10,
    in: {},
    out: { called: {}, caller: {} },
    sip: { watchSeconds: 30 },
  }),
  sections: [
    {
      title: "Two ends",
      settings: [
        name,
        switches,
        {
          at: "farEnd",
          label: "Far end",
          kind: "one-of",
          among: (p) => p.farEnds,
          empty: "none: a switch of this plan",
        },
        {
          at: "peer",
          label: "Other side of the same connection",
          kind: "one-of",
          empty: "not a switch of this plan",
          among: (p, o) => p.trunks.filter((t) => t.id !== o.id),
          hint: "where the far end is another switch here: the trunk over there",
        },
        note,
      ],
    },
    {
      title: "From us to them",
      special: "targets",
      settings: [
        {
          at: "sip/address",
          label: "Calls go to",
          kind: "digits",
          empty: "where it registered from",
          hint: "address and port",
        },
        {
          at: "sip/lookup",
          label: "or to its name",
          kind: "text",
          hint: "its servers are looked up by SRV, or by address (RFC 3263)",
        },
        {
          at: "sip/transport",
          label: "Transport",
          kind: "choice",
          options: [
            ["", "UDP"],
            ["tcp", "TCP"],
            ["tls", "TLS"],
          ],
          hint: "what is too long for a datagram goes by TCP all the same",
        },
        {
          at: "sip/serverName",
          label: "Name on their certificate",
          kind: "text",
          empty: "the address",
          hint: "over TLS",
        },
        {
          at: "sip/watchSeconds",
          label: "Asked by OPTIONS every",
          kind: "number",
          unit: "s",
          empty: "never",
        },
        {
          at: "sip/numbers",
          label: "Numbers are written as",
          kind: "choice",
          options: [
            ["", "SIP URIs"],
            ["user-phone", "SIP URIs with user=phone"],
            ["tel", "tel URIs"],
          ],
        },
        { at: "sip/sendTrunkGroup", label: "Trunk group sent", kind: "text", hint: "tgrp, RFC 4904" },
        { at: "sip/sendTrunkContext", label: "and its context", kind: "text" },
        {
          at: "costRank",
          label: "Cost rank",
          kind: "number",
          empty: "0, the cheapest",
          hint: "for paths that take the cheapest first",
        },
      ],
    },
    {
      title: "From them to us",
      about: "Which calls are theirs, and what they must show.",
      settings: [
        {
          at: "entry",
          label: "Calls enter table",
          kind: "one-of",
          among: onSwitch((p) => p.tables),
          empty: "none: they may not call in",
        },
        {
          at: "sip/proof",
          label: "A call must show",
          kind: "choice",
          options: [
            ["", "a credential if they register, else their address"],
            ["address", "their address"],
            ["credential", "a credential"],
            ["both", "both"],
          ],
        },
        {
          at: "sip/trusted",
          label: "Trusted addresses",
          kind: "lines",
          hint: "one a line: an address, one with a port, or a network",
        },
        {
          at: "sip/digest",
          label: "Their digest",
          kind: "choice",
          options: [
            ["", "SHA-256 or MD5"],
            ["sha-256", "SHA-256 alone"],
            ["md5", "MD5 alone"],
          ],
          hint: "MD5 alone for a far end that answers only the first challenge",
        },
        {
          at: "sip/domain",
          label: "Sent to domain",
          kind: "text",
          hint: "tells trunks apart that share an address",
        },
        { at: "sip/trunkGroup", label: "Trunk group", kind: "text", hint: "tgrp, RFC 4904" },
        {
          at: "sip/calledField",
          label: "Called number stands in",
          kind: "choice",
          options: [
            ["", "the request URI"],
            ["to", "To"],
          ],
        },
        {
          at: "sip/calledIn",
          label: "Called number matches",
          kind: "digits",
          hint: "dial pattern, as the number comes",
        },
        {
          at: "mayGoBack",
          label: "May a call go back where it came from",
          kind: "choice",
          options: [
            ["", "phone systems may, others not"],
            ["true", "yes"],
            ["false", "no"],
          ],
        },
      ],
    },
    {
      title: "Registration",
      settings: [
        {
          at: "sip/registers",
          label: "Who registers",
          kind: "choice",
          options: [
            ["", "nobody"],
            ["they", "they register with us"],
            ["we", "we register with them"],
          ],
        },
        { at: "sip/minExpires", label: "Theirs holds at least", kind: "number", unit: "s", empty: "60" },
        { at: "sip/maxExpires", label: "and at most", kind: "number", unit: "s", empty: "3600" },
        { at: "sip/maxContacts", label: "Contacts an account", kind: "number", empty: "4" },
      ],
      special: "accounts",
    },
    {
      title: "Channels and limits",
      settings: [
        {
          at: "channels",
          label: "Channels",
          kind: "number",
          hint: "calls at one time, both directions together",
        },
        { at: "kept/emergency", label: "kept for emergency calls", kind: "number", empty: "0" },
        { at: "kept/in", label: "kept for calls from them to us", kind: "number", empty: "0" },
        { at: "kept/out", label: "kept for calls from us to them", kind: "number", empty: "0" },
        { at: "callsPerSecond", label: "Calls a second", kind: "number", empty: "no limit" },
        { at: "longestCall", label: "Longest call", kind: "number", unit: "s", empty: "14400" },
        {
          at: "sip/sessionTimer",
          label: "Session timer",
          kind: "choice",
          options: [
            ["", "on"],
            ["off", "off"],
          ],
          hint: "RFC 4028: notices a far end that is gone in the middle of a call",
        },
        { at: "sip/sessionSeconds", label: "Session interval", kind: "number", unit: "s", empty: "1800" },
      ],
    },
    {
      title: "Sound",
      about:
        "Through the switch it is heard, counted and shielded; direct, nobody here can say whether there is any.",
      settings: [
        {
          at: "media/way",
          label: "Goes",
          kind: "choice",
          options: [
            ["", "through the switch"],
            ["direct", "direct from side to side"],
          ],
          hint: "direct if either trunk of a call says so",
        },
        {
          at: "media/packetMs",
          label: "Packet time asked for",
          kind: "number",
          unit: "ms",
          empty: "as offered",
        },
        {
          at: "media/codecs",
          label: "Codecs",
          kind: "lines",
          hint: "one a line, best first, such as PCMA; none lets all pass. A call that none is left of gets 488",
        },
        {
          at: "media/comfortNoise",
          label: "Comfort noise",
          kind: "choice",
          options: [
            ["", "passes"],
            ["remove", "removed"],
          ],
        },
        {
          at: "media/keys",
          label: "Keys as events",
          kind: "choice",
          options: [
            ["", "pass"],
            ["remove", "removed"],
          ],
          hint: "RFC 4733",
        },
      ],
    },
    {
      title: "Number contract",
      about: "The form of numbers that they give and take. What cannot be written so is not sent.",
      special: "contract",
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
        { at: "maxTries", label: "Tries at most", kind: "number", empty: "every trunk" },
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
          at: "timers/onlyTryingMs",
          label: "100 came, and nothing else",
          kind: "number",
          unit: "ms",
          empty: "9000",
        },
        {
          at: "timers/unansweredMs",
          label: "It rang, nobody answered",
          kind: "number",
          unit: "ms",
          empty: "60000",
        },
        {
          at: "afterRinging",
          label: "Go on even after the caller heard ringing or early media",
          kind: "flag",
        },
        {
          at: "goOn",
          label: "Causes to go on",
          kind: "causes",
          hint: "Q.850, in addition to the usual ones",
        },
        {
          at: "stop",
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
          at: "numbers",
          label: "Numbers that exist there",
          kind: "digits",
          hint: "dial pattern; the called number must be one of them",
        },
        note,
      ],
    },
  ],
};

export const kinds: Kind[] = [switchKind, farEndKind, trunkKind, pathKind, destinationKind];

/** Who names an object, in words: what would break without it. */
export function usersOf(plan: Plan, kind: KindName, id: string): { name: string; to: string }[] {
  const trunks = (test: (t: Plan["trunks"][number]) => boolean) =>
    plan.trunks.filter(test).map((t) => ({ name: `trunk ${t.name}`, to: `/plan/trunks/${t.id}` }));
  const tables = (test: (t: Plan["tables"][number]) => boolean) =>
    plan.tables.filter(test).map((t) => ({ name: `table ${t.name}`, to: `/routing/${t.id}` }));
  const paths = (test: (p: Plan["paths"][number]) => boolean) =>
    plan.paths.filter(test).map((p) => ({ name: `path ${p.name}`, to: `/plan/paths/${p.id}` }));
  const rules = (test: (r: Plan["tables"][number]["rules"][number]) => boolean) =>
    plan.tables.flatMap((t) =>
      t.rules
        .filter(test)
        .map((r) => ({ name: `rule ${r.name} of ${t.name}`, to: `/routing/${t.id}/${r.id}` })),
    );
  switch (kind) {
    case "switches":
      return [
        ...trunks((t) => t.switch === id),
        ...tables((t) => t.switch === id),
        ...paths((p) => p.switch === id),
      ];
    case "farEnds":
      return trunks((t) => t.farEnd === id);
    case "trunks":
      return [
        ...trunks((t) => t.peer === id),
        ...paths((p) => p.choices.some((c) => c.trunk === id)),
        ...plan.destinations
          .filter((d) => d.trunk === id)
          .map((d) => ({ name: `destination ${d.name}`, to: `/plan/destinations/${d.id}` })),
        ...rules((r) => r.match.from?.includes(id) ?? false),
      ];
    case "paths":
      return rules((r) => r.then.path === id);
    case "destinations":
      return rules((r) => r.then.destination === id);
  }
}
