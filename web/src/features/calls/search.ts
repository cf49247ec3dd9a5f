import type { CallSearch } from "@/api/client";

/** A period that ends now, by its name in the address. */
export const periods = {
  "1h": { label: "Last hour", hours: 1 },
  "24h": { label: "Last 24 h", hours: 24 },
  "7d": { label: "Last 7 days", hours: 24 * 7 },
  "30d": { label: "Last 30 days", hours: 24 * 30 },
} as const;
export type Period = keyof typeof periods;

/** What came of a call, as it is filtered by: outcomes, and answered calls without audio both ways. */
export const results = {
  failed: { label: "Failed", outcome: ["failed"] },
  refused: { label: "Rejected by the switch", outcome: ["refused"] },
  abandoned: { label: "Abandoned", outcome: ["abandoned"] },
  "no-audio": { label: "One-way or no audio", media: ["one-way", "none"] },
  answered: { label: "Answered", outcome: ["answered"] },
  running: { label: "Not answered yet", outcome: ["running"] },
} as const;
export type Result = keyof typeof results;

/** The shortest or longest talk time, in seconds. */
export const lengths = {
  "lt-10": { label: "Shorter than 10 s", maxSeconds: 10 },
  "ge-60": { label: "1 min or longer", minSeconds: 60 },
  "ge-3600": { label: "1 h or longer", minSeconds: 3600 },
} as const;
export type Length = keyof typeof lengths;

const isOf = <T extends object>(map: T, key: string | null): key is keyof T & string =>
  key !== null && Object.hasOwn(map, key);

/** How far a period is rounded, so that the same question is asked again until it is over: milliseconds. */
const round = 60_000;

/** What is asked of the server, read from the address of the view. */
export function searchOf(params: URLSearchParams, now: number): CallSearch {
  const [period, result, length] = [params.get("period"), params.get("result"), params.get("length")];
  const search: CallSearch = {};
  for (const key of ["number", "trunk", "switch", "since", "until"] as const) {
    const value = params.get(key);
    if (value) search[key] = value;
  }
  if (isOf(periods, period) && !search.since) {
    const begin = Math.floor(now / round) * round - periods[period].hours * 3_600_000;
    search.since = new Date(begin).toISOString();
  }
  if (isOf(results, result)) {
    const { label: _, ...criteria } = results[result];
    Object.assign(search, structuredClone(criteria));
  }
  if (isOf(lengths, length)) {
    const { label: _, ...criteria } = lengths[length];
    Object.assign(search, criteria);
  }
  return { ...search, ...codeOf(params.get("code") ?? "") };
}

/** A number up to 127 is a Q.850 cause, from 300 on a SIP status. */
function codeOf(text: string): Pick<CallSearch, "cause" | "sip"> {
  const n = Number(text);
  if (!Number.isInteger(n) || n <= 0) return {};
  if (n <= 127) return { cause: n };
  return n >= 100 && n <= 699 ? { sip: n } : {};
}
