import { useAnyCall, useChanges, useDraft, useNetwork } from "@/api/queries";
import { type Step, stepsOf } from "./steps";

/** How far the first set-up has come; undefined while that is read. */
export function useSetup(): Step[] | undefined {
  const draft = useDraft().data;
  const network = useNetwork().data;
  const changes = useChanges().data;
  const called = useAnyCall().data;
  if (!draft || !network || !changes || called === undefined) return undefined;
  return stepsOf(draft.plan, {
    revision: network.revision,
    changes: changes.count,
    called,
  });
}
