import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Power } from "lucide-react";
import { api, type StandIn, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

/** The power switch of the simulated far end. */
export function StandInPower({ standIn }: { standIn: StandIn }) {
  const queries = useQueryClient();
  const power = useMutation({
    mutationFn: () =>
      take(
        standIn.running
          ? api.POST("/api/stand-ins/{id}/stop", { params: { path: { id: standIn.id } } })
          : api.POST("/api/stand-ins/{id}/start", { params: { path: { id: standIn.id } } }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.standIns }),
  });
  return (
    <div className="border-b border-line px-4 py-2">
      <div className="flex items-center gap-3">
        <h3 className="font-semibold">Stand-in</h3>
        <StateMark tone={standIn.running ? "good" : "bad"} word={standIn.running ? "running" : "stopped"} />
        <Button className="ml-auto" onClick={() => power.mutate()} disabled={power.isPending}>
          <Power className="size-4" aria-hidden="true" /> {standIn.running ? "Stop" : "Start"}
        </Button>
      </div>
      {power.isError && <Failure error={power.error} />}
    </div>
  );
}

/** What the simulated far end does with which number. */
export function StandInDirectory({ standIn }: { standIn: StandIn }) {
  return (
    <details className="p-4">
      <summary className="cursor-pointer font-semibold">Directory of the stand-in</summary>
      <p className="my-2 text-dense text-soft">
        Accepts called numbers <Pattern text={standIn.called} />
        {standIn.caller && (
          <>
            {" "}
            from calling numbers <Pattern text={standIn.caller} />
          </>
        )}
        ; other numbers get 404{standIn.caller && ", other calling numbers 403"}.
      </p>
      <table className="w-full text-dense">
        <caption className="sr-only">Directory of the stand-in</caption>
        <tbody>
          {standIn.directory.map((e) => (
            <tr key={e.pattern} className="border-t border-line">
              <td className="py-1 pr-2 font-mono">{e.pattern}</td>
              <td>{e.behaviour}</td>
            </tr>
          ))}
          <tr className="border-t border-line">
            <td className="py-1 pr-2">any other</td>
            <td>{standIn.otherNumbers}</td>
          </tr>
        </tbody>
      </table>
    </details>
  );
}

function Pattern({ text }: { text: string }) {
  return <code className="font-mono text-ink">{text || "any"}</code>;
}
