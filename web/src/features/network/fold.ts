import type { Network, RunningTrunk } from "@/api/client";
import { groupOf } from "@/features/trunks/state";

/** From how many trunks on the drawing begins with the switches folded where all is well. */
const many = 16;

const isWell = (t: RunningTrunk) => groupOf(t) === "well" || groupOf(t) === "unproven";

/** What is wrong at a switch: how many of its trunks. */
export const badAt = (trunks: RunningTrunk[], id: string): number =>
  trunks.filter((t) => t.switch === id && !isWell(t)).length;

/** The switches that are folded at first. */
export function foldedAtFirst({ switches, trunks }: Network): Set<string> {
  if (trunks.length <= many) return new Set();
  return new Set(switches.filter((s) => badAt(trunks, s.id) === 0).map((s) => s.id));
}

/**
 * The network without what is well at folded switches, and with the switches first where
 * something is wrong. Connections between switches always stay.
 */
export function folded(network: Network, closed: Set<string>): Pick<Network, "switches" | "trunks"> {
  return {
    switches: [...network.switches].sort((a, b) => badAt(network.trunks, b.id) - badAt(network.trunks, a.id)),
    trunks: network.trunks.filter((t) => !closed.has(t.switch) || t.farEnd.kind === "switch" || !isWell(t)),
  };
}
