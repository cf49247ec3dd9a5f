/** The views, in the order of the work. */
export const views = [
  { path: "/network", step: "Connect", name: "Network", key: "1" },
  { path: "/trunks", step: "Connect", name: "Trunks", key: "2" },
  { path: "/routing", step: "Route", name: "Routing", key: "3" },
  { path: "/try", step: "Prove", name: "Try", key: "4" },
  { path: "/changes", step: "Go live", name: "Changes", key: "5" },
  { path: "/calls", step: "Trace", name: "Calls", key: "6" },
  { path: "/gate", step: "Guard", name: "Gate", key: "7" },
] as const;
