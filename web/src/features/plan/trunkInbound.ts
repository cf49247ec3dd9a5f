import { resorts, type Setting } from "./model";

/** What a trunk adds to the calls that it brings. */
export const inbound: Setting[] = [
  {
    at: "in/calledPrefix",
    label: "Called numbers lack",
    kind: "digits",
    empty: "nothing: they come whole",
    hint: "where they come with their last digits only, such as +441914 for six of +44 191 4…",
  },
  {
    at: "lastResort",
    label: "Last resort",
    kind: "one-of",
    empty: "that of the switch, if it leads outside",
    among: (p, o) => resorts(p, "switch" in o ? (o.switch ?? "") : ""),
    hint: "who answers numbers that nobody has; no second try",
  },
  {
    at: "namePrefix",
    label: "Name tag",
    kind: "text",
    empty: "none",
    hint: "before the caller's name where it rings",
  },
  {
    at: "alertInfo",
    label: "Ring",
    kind: "digits",
    empty: "none",
    hint: "Alert-Info, such as <urn:alert:source:external>",
  },
];
