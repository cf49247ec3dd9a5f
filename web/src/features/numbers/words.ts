import type { PublicNumber } from "@/api/client";
import type { Tone } from "@/ui/StateMark";

export const states = ["ordered", "trial", "active", "porting", "spare"] as const;

/** How a state of a number is shown. */
export const toneOf: Record<PublicNumber["state"], Tone> = {
  ordered: "soft",
  trial: "road",
  active: "good",
  porting: "warn",
  spare: "soft",
};

/** What each state means for calls. */
export const meaning: Record<PublicNumber["state"], string> = {
  ordered: "not in service: calls reach the last-resort destination",
  trial: "answered",
  active: "answered",
  porting: "in service while porting",
  spare: "not in service: calls reach the last-resort destination",
};

/** The last number of a block by the digits in which it differs from the first; empty for a single number. */
export function endOf(n: PublicNumber): string {
  if (!n.last) return "";
  let same = 0;
  while (same < n.first.length && n.first[same] === n.last[same]) same++;
  return n.last.slice(Math.min(same, n.last.length - 2));
}

/** A row's numbers as they are read. */
export const nameOf = (n: PublicNumber): string => (n.last ? `${n.first} – ${endOf(n)}` : n.first);

/** How many numbers a row stands for. */
export function sizeOf(n: PublicNumber): number {
  if (!n.last) return 1;
  const size = BigInt(digits(n.last)) - BigInt(digits(n.first)) + 1n;
  return size > 0n && size < 1_000_000_000n ? Number(size) : 0;
}

const digits = (text: string) => text.replace(/\D/g, "") || "0";
