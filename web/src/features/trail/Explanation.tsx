import { useState } from "react";
import type { CallDetail } from "@/api/client";
import { StateMark } from "@/ui/StateMark";
import { LadderView } from "./LadderView";
import { Trail } from "./Trail";

/** One call explained: the trail, and beside it the messages. */
export function Explanation({ call }: { call: CallDetail }) {
  const [chosen, choose] = useState<number>();
  const leg = chosen === undefined ? undefined : legAt(call, chosen);
  return (
    <div className="flex flex-wrap items-start gap-x-6 gap-y-6">
      <Trail
        steps={call.result.steps}
        stamps={call.stamps}
        chosen={chosen}
        onChoose={(s) => choose(s === chosen ? undefined : s)}
      />
      <div className="min-w-[28.5rem] flex-1 basis-0">
        {call.note && <StateMark tone="draft" word={call.note} />}
        {call.missing > 0 && <StateMark tone="draft" word={`${call.missing} of its messages have expired`} />}
        <LadderView ladder={call.ladder} highlighted={leg} />
      </div>
    </div>
  );
}

/** The Call-ID of the leg on which a step of the trail lies. */
function legAt(call: CallDetail, step: number): string | undefined {
  return call.legs.findLast((l) => l.step <= step)?.id;
}
