import type { Check, TryAsk } from "@/api/client";

/** What is asked of a try, as it stands in the address. */
export function readAsk(params: URLSearchParams): TryAsk {
  return {
    mode: "dry",
    plan: params.get("plan") === "draft" ? "draft" : "live",
    from: params.get("from") ?? "",
    dial: params.get("dial") ?? "",
    caller: params.get("caller") || undefined,
    down: params.getAll("down"),
    full: params.getAll("full"),
    at: params.get("at") || undefined,
    byHand: handOf(params.getAll("hand")),
    ...(params.get("emergency") && { emergency: true }),
  };
}

/** Calendars that are supposed to be set by hand, each as calendar:state. */
function handOf(list: string[]): Record<string, string> | undefined {
  const set = Object.fromEntries(list.map((h) => h.split(":") as [string, string]).filter(([, s]) => s));
  return Object.keys(set).length > 0 ? set : undefined;
}

/** The address under which a check is tried by the draft. */
export function lookOf(c: Check): string {
  const params = new URLSearchParams({ from: c.from, dial: c.dial, plan: "draft" });
  if (c.caller) params.set("caller", c.caller);
  if (c.at) params.set("at", c.at);
  for (const [h, state] of Object.entries(c.byHand ?? {})) params.append("hand", `${h}:${state}`);
  for (const t of c.down ?? []) params.append("down", t);
  for (const t of c.full ?? []) params.append("full", t);
  return `/try?${params}`;
}

/** A moment as a field for date and time shows it, in the time of the browser. */
export function localMoment(at: string | undefined): string {
  if (!at) return "";
  const d = new Date(at);
  if (Number.isNaN(d.getTime())) return "";
  const two = (n: number) => String(n).padStart(2, "0");
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}T${two(d.getHours())}:${two(d.getMinutes())}`;
}
