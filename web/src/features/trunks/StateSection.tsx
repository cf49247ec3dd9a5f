import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, type StandIn, type TrunkDetail, take } from "@/api/client";
import { useStandIns, useZone } from "@/api/queries";
import { ago, day, dayAndClock, useNow } from "@/lib/time";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Accounts } from "./Accounts";
import { BothEnds } from "./BothEnds";
import { Checklist } from "./Checklist";
import { DayStrip } from "./DayStrip";
import { Service, StraightTest } from "./Service";
import { Services } from "./Services";
import { StandInDirectory, StandInPower } from "./StandIn";
import { UnmatchedRequests } from "./UnmatchedRequests";

/** What was proved about a trunk and what is wrong, its far end beside it. */
export function StateSection({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone();
  const standIns = useStandIns();
  const standIn = standIns.data?.find((s) => s.id === trunk.standIn);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start">
      <div className="min-w-0 border-r border-line">
        {trunk.blocked && <CutOff block={trunk.blocked} zone={zone(trunk.switch)} />}
        <Proof trunk={trunk} />
        {trunk.strays.length > 0 && <UnmatchedRequests trunk={trunk} />}
        <Checklist checks={trunk.checklist} />
        <BothEnds trunk={trunk} />
        <Services trunk={trunk} standIn={standIn} />
      </div>
      <div className="min-w-0">
        <Ways trunk={trunk} />
        <Accounts trunk={trunk} zone={zone(trunk.switch)} />
        <Service trunk={trunk} />
        <StraightTest trunk={trunk} />
        {standIn && <FarEndHere standIn={standIn} />}
      </div>
    </div>
  );
}

/** The far end is simulated here: its power and its directory, apart from what a real one has. */
function FarEndHere({ standIn }: { standIn: StandIn }) {
  return (
    <section aria-label="Stand-in" className="m-4 rounded-[3px] border border-dashed border-edge">
      <StandInPower standIn={standIn} />
      <StandInDirectory standIn={standIn} />
    </section>
  );
}

/** The switch itself keeps this far end out: said first, with the way out. */
function CutOff({ block, zone }: { block: NonNullable<TrunkDetail["blocked"]>; zone?: string }) {
  const queries = useQueryClient();
  const unblock = useMutation({
    mutationFn: () =>
      take(api.DELETE("/api/blocked-sources", { params: { query: { source: block.source } } })),
    onSettled: () => queries.invalidateQueries(),
  });
  return (
    <div role="alert" className="border-b border-bad bg-bad-wash p-4">
      <StateMark tone="bad" word={`The switch blocks ${block.source}`} wrap />
      <p className="text-dense">
        {block.why}; until {dayAndClock(block.until, zone)}.
      </p>
      <Button className="mt-2" onClick={() => unblock.mutate()} disabled={unblock.isPending}>
        Unblock {block.source}
      </Button>
      {unblock.isError && <Failure error={unblock.error} />}
    </div>
  );
}

/** Why the state is what it is, and the last 24 hours. */
function Proof({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone()(trunk.switch);
  const now = useNow();
  return (
    <section aria-label="Evidence" className="border-b border-line p-4">
      <div className={trunk.state.word === "failing" ? "text-bad" : ""}>{trunk.state.cause}</div>
      <div className="mb-3 text-dense break-words text-soft">{trunk.state.evidence}</div>
      <DayStrip spans={trunk.day} now={now} zone={zone} />
    </section>
  );
}

/** Where calls go, where they come from, and what they must show. */
function Ways({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone();
  return (
    <dl className="grid grid-cols-[8rem_1fr] gap-y-1 border-b border-line p-4 [&>dt]:text-soft">
      <Line name="Outbound">
        {trunk.remoteAddress ? (
          <span className="font-mono">
            {trunk.remoteAddress} {(trunk.link.sip?.transport ?? "udp").toUpperCase()}
          </span>
        ) : (
          "registered contact"
        )}
      </Line>
      {trunk.certificates.length > 0 && (
        <Line name="Certificate">
          {trunk.certificates.map((c) => (
            <div key={c.server} title={`${c.server}, ${dayAndClock(c.at, zone(trunk.switch))}`}>
              <span className="break-all">{c.names.join(", ")}</span>
              {c.until && `, until ${day(c.until, zone(trunk.switch))}`}
              {c.warning && (
                <div className="text-dense">
                  <StateMark tone="bad" word={c.warning} wrap />
                </div>
              )}
            </div>
          ))}
        </Line>
      )}
      <Line name="Inbound">{trunk.inboundTable ? `table ${trunk.inboundTable}` : "no inbound calls"}</Line>
      <Line name="Authentication">{proofs[trunk.link.sip?.inboundAuth ?? "source-address"]}</Line>
      <Line name="Addresses">
        {trunk.sources.length === 0 && <span className="text-soft">none</span>}
        {trunk.sources.map((s) => (
          <div key={s.source} className="flex flex-wrap gap-x-2">
            <span className="font-mono">{s.source}</span>
            <span className="text-dense text-soft">
              {s.last ? `${s.what}, ${ago(s.last)}` : "no traffic yet"}
              {!s.trusted && ", not trusted"}
            </span>
          </div>
        ))}
      </Line>
      <Line name="Channels">
        <span className="font-mono">{trunk.channels}</span>, {trunk.inUse} in use
        {trunk.calls.tooFast > 0 && `; ${trunk.calls.tooFast} calls rejected: max calls per second`}
      </Line>
    </dl>
  );
}

const proofs: Record<string, string> = {
  "source-address": "source address",
  digest: "digest",
  both: "source address and digest",
};

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt>{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}
