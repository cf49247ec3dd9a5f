import type { Plan, TrunkDetail } from "@/api/client";
import { putObject, useDraft, useDraftEdit } from "@/api/queries";
import { put } from "@/features/plan/value";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

type Trunk = Plan["trunks"][number];
type Row = TrunkDetail["ends"]["rows"][number];

const sources = {
  switch: "Their column is our other switch's own settings.",
  "stand-in": "Their column is read from the stand-in as it runs; channels and forms are kept by hand.",
  "by-hand": "Their column is kept by hand, under Plan.",
};

/** Both sides of a trunk beside each other; what differs is mended in the draft in one step. */
export function TwoEnds({ trunk }: { trunk: TrunkDetail }) {
  const { rows, from } = trunk.ends;
  const differ = rows.filter((r) => r.state === "differ").length;
  return (
    <section className="border-b border-line p-4" aria-label="Two ends">
      <details open={differ > 0}>
        <summary className="cursor-pointer">
          <h3 className="inline font-semibold">Two ends</h3>{" "}
          {rows.length === 0 ? (
            <span className="text-soft">nothing is known of the other side</span>
          ) : (
            <StateMark
              tone={differ > 0 ? "bad" : "good"}
              word={differ > 0 ? `${differ} of ${rows.length} differ` : `agree in ${rows.length} things`}
            />
          )}
        </summary>
        <p className="mt-1 text-[13px] text-soft">{sources[from]}</p>
        {rows.length > 0 && (
          <table className="mt-1 w-full text-left text-[13px] [&_td]:py-0.5 [&_td]:pr-2 [&_th]:font-normal [&_th]:text-soft">
            <caption className="sr-only">Both sides of the trunk</caption>
            <thead>
              <tr>
                <th />
                <th>ours</th>
                <th>theirs</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <EndLine key={r.what} row={r} trunk={trunk.id} />
              ))}
            </tbody>
          </table>
        )}
      </details>
    </section>
  );
}

function EndLine({ row, trunk }: { row: Row; trunk: string }) {
  return (
    <>
      <tr className="border-t border-line align-top">
        <td>{row.what}</td>
        <td className="font-mono break-words">{row.ours}</td>
        <td className={`font-mono break-words ${row.state === "differ" ? "text-bad" : ""}`}>{row.theirs}</td>
      </tr>
      {row.state === "differ" && (
        <tr>
          <td colSpan={3}>
            <span className="text-bad">{row.why}</span>
            {row.place && <Mend row={row} trunk={trunk} />}
          </td>
        </tr>
      )}
    </>
  );
}

/** Makes our side what theirs is, in the draft. */
function Mend({ row, trunk }: { row: Row; trunk: string }) {
  const draft = useDraft().data?.plan.trunks.find((t) => t.id === trunk);
  const mend = useDraftEdit((body: { is: Trunk; was: Trunk }) => putObject("trunks", body));
  return (
    <span className="ml-2 inline-flex items-center gap-2">
      <Button
        disabled={!draft || mend.isPending || mend.isSuccess}
        onClick={() =>
          draft && row.place && mend.mutate({ is: put(draft, row.place, row.value) as Trunk, was: draft })
        }
      >
        Take theirs, in the draft
      </Button>
      {mend.isSuccess && <StateMark tone="draft" word="in the draft, not live yet" />}
      {mend.isError && <Failure error={mend.error} />}
    </span>
  );
}
