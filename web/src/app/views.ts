/** The views, in the order of the work. */
export const views = [
  { path: "/network", step: "Connect", name: "Network", key: "1" },
  { path: "/trunks", step: "Connect", name: "Trunks", key: "2" },
  { path: "/plan", step: "Connect", name: "Plan", key: "3" },
  { path: "/routing", step: "Route out", name: "Routing", key: "4" },
  { path: "/callers", step: "Route out", name: "Callers", key: "5" },
  { path: "/numbers", step: "Route in", name: "Numbers", key: "n" },
  { path: "/hours", step: "Route in", name: "Hours", key: "h" },
  { path: "/try", step: "Prove", name: "Try", key: "6" },
  { path: "/checks", step: "Prove", name: "Checks", key: "7" },
  { path: "/changes", step: "Go live", name: "Changes", key: "8" },
  { path: "/calls", step: "Trace", name: "Calls", key: "9" },
  { path: "/gate", step: "Guard", name: "Gate", key: "0" },
] as const;
