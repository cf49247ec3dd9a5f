/** A stop is one view of a stage, with the addresses under which its pages are. */
export interface Stop {
  path: string;
  name: string;
  /** Addresses that belong to the stop too, beside those below its path. */
  also?: string[];
}

/** A stage of the work. Its letter after g leads to its first stop. */
export interface Stage {
  name: string;
  letter: string;
  stops: [Stop, ...Stop[]];
}

/** The stages in the order of the work. */
export const stages: Stage[] = [
  {
    name: "Connect",
    letter: "c",
    stops: [
      { path: "/network", name: "Network" },
      { path: "/trunks", name: "Trunks", also: ["/plan/trunks"] },
      { path: "/plan/switches", name: "Switches and far ends", also: ["/plan/farEnds", "/plan"] },
    ],
  },
  {
    name: "Route",
    letter: "r",
    stops: [
      { path: "/routing", name: "Routing", also: ["/outbound-setup"] },
      { path: "/plan/paths", name: "Paths and destinations", also: ["/plan/destinations"] },
      { path: "/numbers", name: "Numbers" },
      { path: "/calendars", name: "Calendars", also: ["/plan/calendars"] },
      { path: "/permissions", name: "Permissions", also: ["/plan/callerGroups"] },
    ],
  },
  {
    name: "Prove",
    letter: "p",
    stops: [
      { path: "/test-call", name: "Test call" },
      { path: "/checks", name: "Checks" },
    ],
  },
  { name: "Go live", letter: "l", stops: [{ path: "/changes", name: "Changes" }] },
  {
    name: "Run",
    letter: "u",
    stops: [
      { path: "/active-calls", name: "Active calls" },
      { path: "/blocked-sources", name: "Blocked sources" },
    ],
  },
  { name: "Trace", letter: "t", stops: [{ path: "/calls", name: "Call records" }] },
  { name: "Admin", letter: "a", stops: [{ path: "/setup", name: "Set-up" }] },
];

const within = (at: string, path: string) => at === path || at.startsWith(`${path}/`);

/** The stop that a page belongs to, with its stage: the one with the longest address. */
export function stopAt(at: string): { stage: Stage; stop: Stop } | undefined {
  let found: { stage: Stage; stop: Stop } | undefined;
  let longest = 0;
  for (const stage of stages) {
    for (const stop of stage.stops) {
      for (const path of [stop.path, ...(stop.also ?? [])]) {
        if (path.length > longest && within(at, path)) {
          found = { stage, stop };
          longest = path.length;
        }
      }
    }
  }
  return found;
}
