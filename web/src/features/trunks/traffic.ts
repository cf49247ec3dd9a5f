/** A share as whole per cent; empty if it is not known. */
export const percent = (part: number) => (part < 0 ? "" : `${Math.round(part * 100)}%`);

/** A length as minutes and seconds; empty for none. */
export function duration(s: number): string {
  const whole = Math.round(s);
  return whole === 0 ? "" : `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}
