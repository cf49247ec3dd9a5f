import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DoorOpen, Search } from "lucide-react";
import { type ReactNode, useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { api, type BlockedSourcesView as Gate, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useGate, useZone } from "@/api/queries";
import { ago, dayAndClock } from "@/lib/time";
import { Button, inputLook } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { Attempts, Trusted } from "./Attempts";
import { BlockForm } from "./BlockForm";
import { UnknownSources } from "./UnknownSources";

/** Who is blocked, who is failing, and the policy for unknown sources. */
export function BlockedSourcesView() {
  const [find, setFind] = useState("");
  const [from, setFrom] = useState(0);
  const gate = useGate(useDeferredValue(find), from);
  if (!gate.data) {
    if (gate.isPending) return <Loading what="blocked sources" />;
    return <Failure error={gate.error} retry={() => gate.refetch()} />;
  }
  const { blocks, blocksInAll, suspects, suspectsInAll } = gate.data;
  const all = Math.max(blocksInAll, suspectsInAll);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_25rem]">
      <div className="overflow-auto">
        <Chooser
          find={find}
          from={from}
          all={all}
          onFind={(text) => {
            setFind(text);
            setFrom(0);
          }}
          onFrom={setFrom}
        />
        <Attempts history={gate.data.attempts} now={gate.dataUpdatedAt} />
        <Blocks blocks={blocks} all={blocksInAll} sought={find !== ""} />
        <UnknownSources strangers={gate.data.unknownSources} all={gate.data.unknownSourcesInAll} />
        <Suspects suspects={suspects} all={suspectsInAll} />
        <Limits switches={gate.data.switches} since={gate.data.since} />
      </div>
      <aside className="overflow-auto border-l border-line bg-sheet p-4" aria-label="Block a source">
        <BlockForm />
        <Trusted list={gate.data.trusted} />
      </aside>
    </div>
  );
}

const onePage = 200; // as the server gives them

interface ChooserProps {
  find: string;
  from: number;
  all: number;
  onFind: (text: string) => void;
  onFrom: (from: number) => void;
}

/** Finds a source among many, and turns the pages where there are more than one shows. */
function Chooser({ find, from, all, onFind, onFrom }: ChooserProps) {
  return (
    <div className="flex h-11 items-center gap-2 border-b border-line px-4">
      <Search className="size-4 text-soft" aria-hidden="true" />
      <div className="w-64">
        <input
          aria-label="Find a source"
          placeholder="Address, network or reason"
          className={`${inputLook} h-7`}
          value={find}
          maxLength={64}
          onChange={(e) => onFind(e.target.value)}
        />
      </div>
      {all > onePage && (
        <span className="ml-auto flex items-center gap-2 text-dense">
          {from + 1} to {Math.min(all, from + onePage)} of {all}
          <Button className="h-7" disabled={from === 0} onClick={() => onFrom(Math.max(0, from - onePage))}>
            Earlier
          </Button>
          <Button className="h-7" disabled={from + onePage >= all} onClick={() => onFrom(from + onePage)}>
            Later
          </Button>
        </span>
      )}
    </div>
  );
}

const head = "border-b border-line bg-sunk px-4 py-1 font-semibold";
const row = "border-b border-line align-top [&>td]:px-4 [&>td]:py-1";
const titles = "border-b border-line text-dense text-soft [&>th]:px-4 [&>th]:py-1 [&>th]:font-normal";

function Title({ children, all }: { children: ReactNode; all: number }) {
  return (
    <h2 className={head}>
      {children} {all > 0 && <span className="font-normal text-soft">{all}</span>}
    </h2>
  );
}

function Blocks({ blocks, all, sought }: { blocks: Gate["blocks"]; all: number; sought: boolean }) {
  const zone = useZone();
  const queries = useQueryClient();
  const unblock = useMutation({
    mutationFn: (source: string) =>
      take(api.DELETE("/api/blocked-sources", { params: { query: { source } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.gate }),
  });
  return (
    <section aria-label="Blocked">
      <Title all={all}>Blocked</Title>
      {unblock.isError && <Failure error={unblock.error} />}
      {blocks.length === 0 ? (
        <p className="px-4 py-3 text-soft">
          {sought ? "No matching blocked source." : "No source is blocked."}
        </p>
      ) : (
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className={titles}>
              <th>Source</th>
              <th>From</th>
              <th>Since</th>
              <th>Until</th>
              <th>Reason</th>
              <th className="text-right" title="Since this process started">
                Dropped
              </th>
              <th>
                <span className="sr-only">Unblock</span>
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
                  <div className="text-dense text-soft">{b.by ? `by ${b.by}` : "by Switchback"}</div>
                </td>
                <td className="text-right font-mono">{b.dropped}</td>
                <td className="text-right">
                  <Button
                    onClick={() => unblock.mutate(b.source)}
                    disabled={unblock.isPending}
                    aria-label={`Unblock ${b.source}`}
                  >
                    <DoorOpen className="size-4" aria-hidden="true" /> Unblock
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

const kinds: Record<string, string> = { address: "address", flow: "registered flow", account: "account" };

function Suspects({ suspects, all }: { suspects: Gate["suspects"]; all: number }) {
  return (
    <section aria-label="Failed attempts">
      <Title all={all}>Failed attempts</Title>
      {suspects.length === 0 ? (
        <p className="px-4 py-3 text-soft">No failed attempts.</p>
      ) : (
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className={titles}>
              <th>Source</th>
              <th>Counted by</th>
              <th className="text-right" title="Within the window of the switch">
                Failures
              </th>
              <th>Last</th>
              <th>Reason</th>
            </tr>
          </thead>
          <tbody>
            {suspects.map((s) => (
              <tr key={s.kind + s.source} className={row}>
                <td className="font-mono break-all">{s.source}</td>
                <td>{kinds[s.kind]}</td>
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
  drop: "no response",
  "401": "401",
  "403": "403",
};

const mets: Record<string, string> = {
  blocked: "from blocked sources",
  flood: "above the limit per source",
  crowded: "above the total limit",
  dropped: "dropped",
  unreadable: "unreadable",
  refused: "rejected",
};

function Limits({ switches, since }: { switches: Gate["switches"]; since: string }) {
  const zone = useZone()();
  return (
    <section aria-label="Unknown-source policy">
      <h2 className={head}>Unknown-source policy</h2>
      <table className="w-full border-collapse text-left">
        <thead>
          <tr className={titles}>
            <th>Switch</th>
            <th>Response to unknown sources</th>
            <th>Blocked after</th>
            <th>For</th>
            <th className="text-right">Max calls per second</th>
            <th className="text-right">Messages since {dayAndClock(since, zone)}</th>
          </tr>
        </thead>
        <tbody>
          {switches.map(({ id, name, limits, answer, unknownMessages: unknown, dropped: met }) => (
            <tr key={id} className={row}>
              <td className="font-semibold">
                <Link to={`/plan/switches/${id}`} className="text-road underline-offset-2 hover:underline">
                  {name}
                </Link>
              </td>
              <td>{unknowns[answer]}</td>
              <td>
                {limits.failedAttempts} failures in {limits.windowMinutes} min
              </td>
              <td>{limits.blockHours} h</td>
              <td className="text-right">
                <span className="font-mono">{limits.callsPerSecond}</span>
                <div className="text-dense whitespace-nowrap text-soft">
                  per source {limits.perSourcePerSecond}, all {limits.unknownPerSecond}
                </div>
              </td>
              <td className="text-right">
                <span className="font-mono">{unknown}</span>
                {met.map((m) => (
                  <div key={m.what} className="text-dense whitespace-nowrap text-soft">
                    {m.count} {mets[m.what]}
                  </div>
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="px-4 py-3 text-dense text-soft">
        Trusted sources are limited, never blocked. Over UDP an attempt counts only after the source answered
        a challenge. Edit the limits in the settings of each switch.
      </p>
    </section>
  );
}
