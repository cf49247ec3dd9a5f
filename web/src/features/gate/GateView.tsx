import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DoorOpen } from "lucide-react";
import { Link } from "react-router";
import { api, type GateView as Gate, take } from "@/api/client";
import { useGate, useZone } from "@/api/queries";
import { ago, dayAndClock } from "@/lib/time";
import { Button } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { ShutOut } from "./ShutOut";
import { Strangers } from "./Strangers";

/** Who is shut out, who is failing, and how each switch meets strangers. */
export function GateView() {
  const gate = useGate();
  if (gate.isPending) return <Loading what="the gate" />;
  if (!gate.data) return <Failure error={gate.error} retry={() => gate.refetch()} />;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_25rem]">
      <div className="overflow-auto">
        <Blocks blocks={gate.data.blocks} />
        <Strangers strangers={gate.data.strangers} all={gate.data.strangersInAll} />
        <Suspects suspects={gate.data.suspects} />
        <Limits switches={gate.data.switches} />
      </div>
      <aside className="overflow-auto border-l border-line bg-sheet p-4" aria-label="Shut a source out">
        <ShutOut />
      </aside>
    </div>
  );
}

const head = "border-b border-line bg-sunk px-4 py-1.5 font-semibold";
const row = "border-b border-line align-top [&>td]:px-4 [&>td]:py-2";
const titles = "border-b border-line text-[13px] text-soft [&>th]:px-4 [&>th]:py-1 [&>th]:font-normal";

function Blocks({ blocks }: { blocks: Gate["blocks"] }) {
  const zone = useZone();
  const queries = useQueryClient();
  const letIn = useMutation({
    mutationFn: (source: string) => take(api.DELETE("/api/gate", { params: { query: { source } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["gate"] }),
  });
  return (
    <section aria-label="Shut out">
      <h2 className={head}>Shut out</h2>
      {letIn.isError && <Failure error={letIn.error} />}
      {blocks.length === 0 ? (
        <p className="px-4 py-3 text-soft">Nobody is shut out.</p>
      ) : (
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className={titles}>
              <th>Source</th>
              <th>From</th>
              <th>Since</th>
              <th>Until</th>
              <th>Why</th>
              <th className="text-right">Met since</th>
              <th>
                <span className="sr-only">Let in</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {blocks.map((b) => (
              <tr key={b.from + b.source} className={row}>
                <td className="font-mono">{b.source}</td>
                <td>{b.from === "calls" ? "calls" : "signing in"}</td>
                <td className="whitespace-nowrap">{dayAndClock(b.since, zone())}</td>
                <td className="whitespace-nowrap">{dayAndClock(b.until, zone())}</td>
                <td className="break-words">
                  {b.why}
                  <div className="text-[13px] text-soft">{b.by ? `by hand, ${b.by}` : "by the gate"}</div>
                </td>
                <td className="text-right font-mono">{b.met}</td>
                <td className="text-right">
                  <Button
                    onClick={() => letIn.mutate(b.source)}
                    disabled={letIn.isPending}
                    aria-label={`Let ${b.source} in`}
                  >
                    <DoorOpen className="size-4" aria-hidden="true" /> Let in
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Suspects({ suspects }: { suspects: Gate["suspects"] }) {
  return (
    <section aria-label="Failing sources">
      <h2 className={head}>Failing, not shut out</h2>
      {suspects.length === 0 ? (
        <p className="px-4 py-3 text-soft">No source has failed to say who it is.</p>
      ) : (
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className={titles}>
              <th>Source</th>
              <th className="text-right">Failures</th>
              <th>Last</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            {suspects.map((s) => (
              <tr key={s.source} className={row}>
                <td className="font-mono">{s.source}</td>
                <td className="text-right font-mono">{s.failures}</td>
                <td className="whitespace-nowrap">{ago(s.last)}</td>
                <td className="break-words">{s.why}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

const unknowns: Record<string, string> = {
  silence: "silence",
  "401": "a challenge, 401",
  "403": "a refusal, 403",
};

function Limits({ switches }: { switches: Gate["switches"] }) {
  return (
    <section aria-label="How each switch meets strangers">
      <h2 className={head}>How each switch meets strangers</h2>
      <table className="w-full border-collapse text-left">
        <thead>
          <tr className={titles}>
            <th>Switch</th>
            <th>A call of no trunk gets</th>
            <th>Shut out after</th>
            <th>For</th>
            <th className="text-right">Calls a second</th>
            <th className="text-right">Met so far</th>
          </tr>
        </thead>
        <tbody>
          {switches.map(({ id, name, limits, answer, unknown }) => (
            <tr key={id} className={row}>
              <td className="font-semibold">
                <Link to={`/plan/switches/${id}`} className="text-road underline-offset-2 hover:underline">
                  {name}
                </Link>
              </td>
              <td>{unknowns[answer]}</td>
              <td>
                {limits.failures} failures in {limits.windowMinutes} min
              </td>
              <td>{limits.shutHours} h</td>
              <td className="text-right font-mono">{limits.callsPerSecond}</td>
              <td className="text-right font-mono">{unknown}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="px-4 py-3 text-[13px] text-soft">
        Addresses that a trunk trusts are never shut out by the gate. These limits are settings of the switch:
        choose one to edit them in the draft.
      </p>
    </section>
  );
}
