import type { PublicNumber } from "@/api/client";
import type { Tone } from "@/ui/StateMark";

export const states = ["ordered", "trial", "active", "porting", "spare"] as const;

/** How a state of a number is shown. */
export const toneOf: Record<PublicNumber["state"], Tone> = {
  ordered: "draft",
  trial: "road",
  active: "good",
  porting: "draft",
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

/** A row's numbers as they are read: the last of a block by the digits in which it differs. */
export function nameOf(n: PublicNumber): string {
  if (!n.last) return n.first;
  let same = 0;
  while (same < n.first.length && n.first[same] === n.last[same]) same++;
  return `${n.first} – ${n.last.slice(Math.min(same, n.last.length - 2))}`;
}

/** How many numbers a row stands for. */
export function sizeOf(n: PublicNumber): number {
  if (!n.last) return 1;
  const size = BigInt(digits(n.last)) - BigInt(digits(n.first)) + 1n;
  return size > 0n && size < 1_000_000_000n ? Number(size) : 0;
}

const digits = (text: string) => text.replace(/\D/g, "") || "0";
