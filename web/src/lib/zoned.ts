/** The local date and time of a moment in a zone, as numbers. */
interface Local {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
}

/** The zone of the browser. */
export const browserZone = () => Intl.DateTimeFormat().resolvedOptions().timeZone;

function local(ms: number, zone: string): Local & { second: number } {
  const parts = new Intl.DateTimeFormat("en-GB", {
    timeZone: zone,
    hourCycle: "h23",
    year: "numeric",
    month: "numeric",
    day: "numeric",
    hour: "numeric",
    minute: "numeric",
    second: "numeric",
  }).formatToParts(ms);
  const of = (type: string) => Number(parts.find((p) => p.type === type)?.value);
  return {
    year: of("year"),
    month: of("month"),
    day: of("day"),
    hour: of("hour"),
    minute: of("minute"),
    second: of("second"),
  };
}

/** How far a zone is ahead of UTC at a moment, in milliseconds. */
function offset(ms: number, zone: string): number {
  const l = local(ms, zone);
  const whole = Math.floor(ms / 1000) * 1000;
  return Date.UTC(l.year, l.month - 1, l.day, l.hour, l.minute, l.second) - whole;
}

/** A moment as "2026-11-30 14:00" in a zone; empty for none. */
export function writeLocal(iso: string | undefined, zone: string): string {
  const ms = Date.parse(iso ?? "");
  if (Number.isNaN(ms)) return "";
  const l = local(ms, zone);
  const two = (n: number) => String(n).padStart(2, "0");
  return `${l.year}-${two(l.month)}-${two(l.day)} ${two(l.hour)}:${two(l.minute)}`;
}

/**
 * Reads "2026-11-30 14:00" in a zone. A time that a clock put forward leaves out is the one after it;
 * of a time that comes twice the first is meant. The error says what is allowed.
 */
export function readLocal(text: string, zone: string): { iso: string } | { error: string } {
  const match = /^(\d{4})-(\d{1,2})-(\d{1,2})[ T](\d{1,2}):(\d{2})$/.exec(text.trim());
  if (!match) return { error: `"${text}" is not a date and time; write 2026-11-30 14:00` };
  const [year, month, day, hour, minute] = match.slice(1).map(Number) as [
    number,
    number,
    number,
    number,
    number,
  ];
  const wall = Date.UTC(year, month - 1, day, hour, minute);
  const read = new Date(wall);
  const exists = read.getUTCMonth() === month - 1 && read.getUTCDate() === day && hour < 24 && minute < 60;
  if (!exists) return { error: `There is no ${text.trim()}` };
  // The offsets before and after any change near it; the earlier moment is the first of two.
  const [before, after] = [offset(wall - 86_400_000, zone), offset(wall + 86_400_000, zone)];
  const found = [wall - before, wall - after]
    .filter((ms) => ms + offset(ms, zone) === wall)
    .sort((a, b) => a - b);
  // Left out by a clock put forward: as late after the change as it would have been.
  return { iso: new Date(found[0] ?? wall - before).toISOString() };
}

/** The short name of a zone at a moment, such as GMT. */
export function zoneName(iso: string | undefined, zone: string): string {
  const parts = new Intl.DateTimeFormat("en-GB", { timeZone: zone, timeZoneName: "short" }).formatToParts(
    iso ? new Date(iso) : new Date(),
  );
  return parts.find((p) => p.type === "timeZoneName")?.value ?? zone;
}
