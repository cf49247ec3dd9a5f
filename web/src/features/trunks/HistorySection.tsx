import type { Span, TrunkDetail } from "@/api/client";
import { useZone } from "@/api/queries";
import { dayAndClock, delay, elapsed, useNow } from "@/lib/time";
import { StateMark } from "@/ui/StateMark";
import { DayStrip } from "./DayStrip";
import { stateLook } from "./state";

/** What a trunk was over the last 24 hours, and how its calls went. */
export function HistorySection({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone()(trunk.switch);
  const now = useNow();
  const { traffic } = trunk;
  const figures = [
    ["Availability", trunk.availability < 0 ? "" : `${(trunk.availability * 100).toFixed(1)}%`],
    ["ASR", traffic.asr < 0 ? "" : `${(traffic.asr * 100).toFixed(1)}% of ${traffic.sent}`],
    ["ACD", traffic.acdSeconds ? elapsed(traffic.acdSeconds * 1000) : ""],
    ["PDD", delay(traffic.pddMs)],
    ["Mean answer delay", traffic.answerSeconds ? `${traffic.answerSeconds.toFixed(1)} s` : ""],
    ["Peak channels", `${traffic.peak} of ${trunk.channels}`],
  ] as const;
  return (
    <div className="flex flex-col gap-4 p-4">
      <section aria-label="Last 24 hours">
        <h2 className="mb-1 font-semibold">Last 24 hours</h2>
        <DayStrip spans={trunk.day} now={now} zone={zone} />
        <dl className="mt-3 flex flex-wrap gap-x-10 gap-y-2 [&_dd]:font-mono [&_dt]:text-dense [&_dt]:text-soft">
          {figures.map(([name, value]) => (
            <div key={name}>
              <dt>{name}</dt>
              <dd>{value || "none yet"}</dd>
            </div>
          ))}
        </dl>
      </section>
      <section aria-label="States">
        <h2 className="mb-1 font-semibold">States</h2>
        <table className="w-full text-left [&_td]:py-1 [&_td]:pr-4 [&_th]:font-normal [&_th]:text-soft">
          <thead className="text-dense">
            <tr>
              <th>Since</th>
              <th>For</th>
              <th>State</th>
              <th>Cause</th>
            </tr>
          </thead>
          <tbody>
            {trunk.day.toReversed().map((s) => (
              <StateRow key={s.from} span={s} zone={zone} />
            ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}

function StateRow({ span, zone }: { span: Span; zone?: string }) {
  return (
    <tr className="border-t border-line align-baseline">
      <td className="font-mono text-dense whitespace-nowrap">{dayAndClock(span.from, zone)}</td>
      <td className="font-mono text-dense">{elapsed(Date.parse(span.to) - Date.parse(span.from))}</td>
      <td>
        <StateMark {...stateLook(span.word)} />
      </td>
      <td className="break-words">{span.cause}</td>
    </tr>
  );
}
