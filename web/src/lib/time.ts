import { useSyncExternalStore } from "react";

/** The time, once a second, in milliseconds since 1970. */
export const useNow = (): number => useSyncExternalStore(ticker.listen, ticker.now);

/** One tick a second for all that shows the time. */
const ticker = {
  at: Date.now(),
  tick: undefined as number | undefined,
  listeners: new Set<() => void>(),
  now: () => ticker.at,
  listen: (tell: () => void) => {
    if (ticker.listeners.size === 0) {
      ticker.at = Date.now();
      ticker.tick = window.setInterval(() => {
        ticker.at = Date.now();
        for (const each of ticker.listeners) each();
      }, 1000);
    }
    ticker.listeners.add(tell);
    return () => {
      ticker.listeners.delete(tell);
      if (ticker.listeners.size === 0) window.clearInterval(ticker.tick);
    };
  },
};

const options = {
  clock: { hour: "2-digit", minute: "2-digit", second: "2-digit", timeZoneName: "short" },
  minutes: { hour: "2-digit", minute: "2-digit", timeZoneName: "short" },
  day: { day: "numeric", month: "short" },
  date: { day: "numeric", month: "short", year: "numeric" },
} satisfies Record<string, Intl.DateTimeFormatOptions>;

const formats = new Map<string, Intl.DateTimeFormat>();

/** A time in an IANA zone; that of the browser if none is given, or one that the browser does not know. */
function tell(what: keyof typeof options, iso: string, zone = ""): string {
  const key = `${what} ${zone}`;
  let format = formats.get(key);
  if (!format) {
    try {
      format = new Intl.DateTimeFormat("en-GB", { ...options[what], timeZone: zone || undefined });
    } catch {
      format = new Intl.DateTimeFormat("en-GB", options[what]);
    }
    formats.set(key, format);
  }
  return format.format(new Date(iso));
}

/** The time of day with its zone, such as 14:03:20 GMT. */
export const clock = (iso: string, zone?: string): string => tell("clock", iso, zone);

/** The same to the minute. */
export const minutes = (iso: string, zone?: string): string => tell("minutes", iso, zone);

export const dayAndClock = (iso: string, zone?: string): string =>
  `${tell("day", iso, zone)} ${clock(iso, zone)}`;

/** A day with its year, for what is far off. */
export const day = (iso: string, zone?: string): string => tell("date", iso, zone);

/** How long ago, in the largest unit that says enough. */
export function ago(iso: string, now = Date.now()): string {
  const s = Math.max(0, Math.round((now - new Date(iso).getTime()) / 1000));
  if (s < 60) return `${s} s ago`;
  if (s < 3600) return `${Math.floor(s / 60)} min ago`;
  if (s < 86_400) return `${Math.floor(s / 3600)} h ago`;
  return `${Math.floor(s / 86_400)} d ago`;
}

/** A running time as minutes and seconds. */
export function elapsed(ms: number): string {
  const s = Math.max(0, Math.floor(ms / 1000));
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, "0")}`;
}

export function seconds(ms: number): string {
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(ms < 10_000 ? 2 : 1)} s`;
}

/** A delay, where one was measured. */
export const delay = (ms?: number): string => (ms ? seconds(ms) : "");
