import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Plan, type Scope, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useTrial, useZone } from "@/api/queries";
import { dayAndClock } from "@/lib/time";
import { Button, smallLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { named, Select } from "@/ui/Select";
import { StateMark } from "@/ui/StateMark";

interface Props {
  plan?: Plan;
  version: number;
  count: number;
  blocked: boolean;
}

/** Goes live for some first: their calls are decided by the draft while the rest stays. */
export function TrialPanel({ plan, version, count, blocked }: Props) {
  const zone = useZone();
  const queries = useQueryClient();
  const trial = useTrial().data;
  const [kind, setKind] = useState<"extension" | "group" | "trunk">("extension");
  const [who, setWho] = useState("");
  const settle = { onSettled: () => queries.invalidateQueries({ queryKey: keys.trial }) };
  const begin = useMutation({
    mutationFn: (body: { version: number; scopes: Scope[] }) => take(api.PUT("/api/trial", { body })),
    onSuccess: () => setWho(""),
    ...settle,
  });
  const stop = useMutation({ mutationFn: () => take(api.DELETE("/api/trial")), ...settle });
  if (!trial) return null;
  const scope: Scope = { [kind]: who };
  const among = kind === "group" ? (plan?.callerGroups ?? []) : (plan?.trunks ?? []);
  const failed = begin.error ?? stop.error;
  return (
    <section aria-label="Trial" className="flex flex-col gap-2 border-b border-line p-4">
      <h2 className="font-semibold">Trial</h2>
      {trial.running ? (
        <div className="rounded-[3px] border border-draft bg-draft-wash p-2">
          <StateMark tone="draft" word={`Trial: ${scopesIn(trial.scopes, plan)}`} wrap />
          <p className="text-dense">
            {trial.calls} {trial.calls === 1 ? "call" : "calls"}
            {trial.since && `, since ${dayAndClock(trial.since, zone())}`}, by {trial.by}
          </p>
          {trial.moved && (
            <p className="text-dense text-draft">
              The draft was edited since. Start the trial again to use it.
            </p>
          )}
          <div className="mt-1 flex flex-wrap gap-2">
            <Button className="h-7" disabled={stop.isPending} onClick={() => stop.mutate()}>
              End trial
            </Button>
            {trial.moved && (
              <Button
                className="h-7"
                disabled={begin.isPending || blocked}
                onClick={() => begin.mutate({ version, scopes: trial.scopes })}
              >
                Use the current draft
              </Button>
            )}
          </div>
        </div>
      ) : (
        <p className="text-soft">The draft decides the calls of one extension, group or trunk.</p>
      )}
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          const scopes = trial.running && !trial.moved ? [...trial.scopes, scope] : [scope];
          begin.mutate({ version: trial.running && !trial.moved ? trial.version : version, scopes });
        }}
      >
        <Select
          aria-label="Whose calls"
          small
          value={kind}
          onChange={(k) => {
            setKind(k as typeof kind);
            setWho("");
          }}
          options={[
            { value: "extension", label: "extension" },
            { value: "group", label: "caller group" },
            { value: "trunk", label: "trunk" },
          ]}
        />
        {kind === "extension" ? (
          <input
            aria-label="Extension"
            className={`${smallLook} w-24 font-mono`}
            value={who}
            onChange={(e) => setWho(e.target.value)}
          />
        ) : (
          <Select
            aria-label="Which"
            small
            className="max-w-[9rem]"
            value={who}
            onChange={setWho}
            options={named(among)}
          />
        )}
        <Button
          type="submit"
          className="h-7"
          disabled={who === "" || begin.isPending || (count === 0 && !trial.running) || blocked}
        >
          {trial.running && !trial.moved ? "Add to trial" : "Start trial"}
        </Button>
      </form>
      {failed && <Failure error={failed} />}
    </section>
  );
}

/** Whose calls are tried, in words. */
export function scopesIn(scopes: Scope[], plan?: Plan): string {
  return scopes
    .map((s) => {
      if (s.extension) return `extension ${s.extension}`;
      if (s.group) return `group ${plan?.callerGroups?.find((g) => g.id === s.group)?.name ?? s.group}`;
      return `trunk ${plan?.trunks.find((t) => t.id === s.trunk)?.name ?? s.trunk}`;
    })
    .join(", ");
}
