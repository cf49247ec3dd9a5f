import type { Check, TryAsk } from "@/api/client";

/** The plans that a test can ask. */
export const plans = [
  { value: "live", label: "live plan" },
  { value: "draft", label: "draft" },
];

/** What is asked of a try, as it stands in the address. */
export function readAsk(params: URLSearchParams): TryAsk {
  return {
    mode: "dry",
    plan: params.get("plan") === "draft" ? "draft" : "live",
    from: params.get("from") ?? "",
    called: params.get("dial") ?? "",
    caller: params.get("caller") || undefined,
    simulate: {
      down: params.getAll("down"),
      full: params.getAll("full"),
      time: params.get("at") || undefined,
      overrides: overridesOf(params.getAll("override")),
    },
    ...(params.get("emergency") && { emergency: true }),
  };
}

/** Calendars that are simulated as overridden, each as calendar:state. */
function overridesOf(list: string[]): Record<string, string> | undefined {
  const set = Object.fromEntries(list.map((h) => h.split(":") as [string, string]).filter(([, s]) => s));
  return Object.keys(set).length > 0 ? set : undefined;
}

/** The address under which a check is tried by the draft. */
export function lookOf(c: Check): string {
  const params = new URLSearchParams({ from: c.from, dial: c.called, plan: "draft" });
  if (c.caller) params.set("caller", c.caller);
  const { time, overrides = {}, down = [], full = [] } = c.simulate ?? {};
  if (time) params.set("at", time);
  for (const [h, state] of Object.entries(overrides)) params.append("override", `${h}:${state}`);
  for (const t of down) params.append("down", t);
  for (const t of full) params.append("full", t);
  return `/test-call?${params}`;
}
