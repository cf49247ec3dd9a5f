/** The views, in the order of the work. */
export const views = [
  { path: "/trunks", step: "Connect", name: "Trunks", key: "1" },
  { path: "/routing", step: "Route", name: "Routing", key: "2" },
  { path: "/try", step: "Prove", name: "Try", key: "3" },
  { path: "/changes", step: "Go live", name: "Changes", key: "4" },
  { path: "/calls", step: "Trace", name: "Calls", key: "5" },
] as const;
