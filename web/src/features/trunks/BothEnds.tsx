import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, type Plan, type TrunkDetail, take } from "@/api/client";
import { keys } from "@/api/keys";
import { putObject, useDraft, useDraftEdit } from "@/api/queries";
import { put } from "@/lib/value";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

type Trunk = Plan["trunks"][number];
type Row = TrunkDetail["ends"]["rows"][number];

const sources = {
  switch: "Far-end column: settings of the opposite trunk.",
  "stand-in": "Far-end column: running stand-in; channels and number formats from the far-end settings.",
  entered: "Far-end column: far-end settings of the trunk.",
};

/** Both sides of a trunk beside each other; what differs is mended on either side in one step. */
export function BothEnds({ trunk }: { trunk: TrunkDetail }) {
  const { rows, from } = trunk.ends;
  const differ = rows.filter((r) => r.state === "differ").length;
  return (
    <section className="border-b border-line p-4" aria-label="Both ends">
      <details open={differ > 0}>
        <summary className="cursor-pointer">
          <h3 className="inline font-semibold">Both ends</h3>{" "}
          {rows.length === 0 ? (
            <span className="text-soft">no far-end settings known</span>
          ) : (
            <StateMark
              tone={differ > 0 ? "bad" : "good"}
              word={differ > 0 ? `${differ} of ${rows.length} differ` : `${rows.length} settings match`}
            />
          )}
        </summary>
        <p className="mt-1 text-dense text-soft">{sources[from]}</p>
        {rows.length > 0 && (
          <table className="mt-1 w-full text-left text-dense [&_td]:py-1 [&_td]:pr-2 [&_th]:font-normal [&_th]:text-soft">
            <caption className="sr-only">Both ends of the trunk</caption>
            <thead>
              <tr>
                <th />
                <th>switch</th>
                <th>far end</th>
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
        <td className="font-mono break-words">{row.switchValue}</td>
        <td className={`font-mono break-words ${row.state === "differ" ? "text-bad" : ""}`}>
          {row.farEndValue}
        </td>
      </tr>
      {row.state === "differ" && (
        <tr>
          <td colSpan={3}>
            <span className="text-bad">{row.why}</span>
            <Mends row={row} trunk={trunk} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Sets one end to the value of the other, where that can be set from here. */
function Mends({ row, trunk }: { row: Row; trunk: string }) {
  const { there } = row;
  return (
    <span className="flex flex-wrap gap-x-2 gap-y-1 pb-1">
      {row.place && (
        <MendTrunk trunk={trunk} place={row.place} value={row.value}>
          Use far-end value
        </MendTrunk>
      )}
      {there?.trunk && (
        <MendTrunk trunk={there.trunk} place={there.place} value={there.value}>
          {there.trunk === trunk ? "Changed at the far end" : "Set far-end setting"}
        </MendTrunk>
      )}
      {there?.standIn && <MendStandIn standIn={there.standIn} place={there.place} value={there.value} />}
    </span>
  );
}

interface MendTrunkProps {
  trunk: string;
  place: string;
  value: unknown;
  children: ReactNode;
}

/** Sets one thing of a trunk in the draft. */
function MendTrunk({ trunk, place, value, children }: MendTrunkProps) {
  const draft = useDraft().data?.plan.trunks.find((t) => t.id === trunk);
  const mend = useDraftEdit((body: { is: Trunk; was: Trunk }) => putObject("trunks", body));
  return (
    <>
      <Button
        disabled={!draft || mend.isPending || mend.isSuccess}
        onClick={() => draft && mend.mutate({ is: put(draft, place, value) as Trunk, was: draft })}
      >
        {children}
      </Button>
      {mend.isSuccess && <StateMark tone="draft" word="in the draft, not live yet" />}
      {mend.isError && <Failure error={mend.error} />}
    </>
  );
}

/** Sets a stand-in otherwise, at once: it starts anew. */
function MendStandIn({ standIn, place, value }: { standIn: string; place: string; value: unknown }) {
  const queries = useQueryClient();
  const mend = useMutation({
    mutationFn: () =>
      take(api.PATCH("/api/stand-ins/{id}", { params: { path: { id: standIn } }, body: { [place]: value } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.network }),
  });
  return (
    <>
      <Button
        disabled={mend.isPending}
        title="Restarts the stand-in and ends its calls"
        onClick={() => mend.mutate()}
      >
        Set at the far end
      </Button>
      {mend.isError && <Failure error={mend.error} />}
    </>
  );
}
