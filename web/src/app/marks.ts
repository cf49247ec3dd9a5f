import { useChanges, useChecks, useNetwork } from "@/api/queries";
import type { Tone } from "@/ui/StateMark";

/** The worst state of a stage. Stages where all is well have none. */
export interface Mark {
  tone: Tone;
  count: number;
  title: string;
}

const of = (tone: Tone, count: number, one: string, many: string): Mark | undefined =>
  count > 0 ? { tone, count, title: `${count} ${count === 1 ? one : many}` } : undefined;

/** The marks of the stages, by their names. */
export function useMarks(): Record<string, Mark | undefined> {
  const network = useNetwork().data;
  const changes = useChanges().data;
  const checks = useChecks().data;
  const failing = network?.trunks.filter((t) => t.state.word === "failing").length ?? 0;
  const failed = checks?.checks.filter((c) => c.state === "failed").length ?? 0;
  return {
    Connect: of("bad", failing, "trunk fails", "trunks fail"),
    Route: of("bad", changes?.problems.length ?? 0, "error in the draft", "errors in the draft"),
    Prove:
      of("bad", failed, "check failed", "checks failed") ??
      of("warn", checks?.stale ?? 0, "check not run since change", "checks not run since change"),
    "Go live": of("draft", changes?.count ?? 0, "change", "changes"),
  };
}
