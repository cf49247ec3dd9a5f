import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Power } from "lucide-react";
import type { ReactNode } from "react";
import { Link } from "react-router";
import {
  api,
  type RunningSwitch,
  type RunningTrunk,
  type StandIn,
  type TrunkDetail,
  take,
} from "@/api/client";
import { keys } from "@/api/keys";
import { useStandIns, useTrunk, useZone } from "@/api/queries";
import { ago, day, dayAndClock, useNow } from "@/lib/time";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Accounts } from "./Accounts";
import { Checklist } from "./Checklist";
import { DayStrip } from "./DayStrip";
import { Service, StraightTest } from "./Service";
import { Services } from "./Services";
import { Strays } from "./Strays";
import { formSketch, stateOf } from "./state";
import { TwoEnds } from "./TwoEnds";

/** What the live plan says about a trunk, what was proved, and the far end that plays it. */
export function TrunkPanel({ trunk, on }: { trunk: RunningTrunk; on: RunningSwitch }) {
  const zone = useZone();
  const standIns = useStandIns();
  const standIn = standIns.data?.find((s) => s.id === trunk.standIn);
  const detail = useTrunk(trunk.id);
  return (
    <aside className="overflow-auto border-l border-line bg-sheet" aria-label={`Trunk ${trunk.name}`}>
      <div className="border-b border-line p-4">
        <div className="flex items-baseline gap-3">
          <h2 className="min-w-0 text-lg leading-tight font-semibold break-words">{trunk.name}</h2>
          <span className="ml-auto flex shrink-0 flex-col items-end">
            <Link to={`/plan/trunks/${trunk.id}`} className="text-road underline-offset-2 hover:underline">
              Settings
            </Link>
            <a
              href={`/api/trunks/${trunk.id}/sheet`}
              download={`${trunk.id}.md`}
              className="text-road underline-offset-2 hover:underline"
              title="Settings and firewall ports for the far end"
            >
              Interconnect sheet
            </a>
          </span>
        </div>
        <p className="mt-1 text-soft">{trunk.farEnd.note}</p>
      </div>
      {detail.data?.blocked && <CutOff block={detail.data.blocked} zone={zone(trunk.switch)} />}
      <Proof trunk={detail.data ?? trunk} />
      {detail.data && detail.data.strays.length > 0 && <Strays trunk={detail.data} />}
      {detail.data && <Today trunk={detail.data} />}
      {standIn && <StandInPower standIn={standIn} />}
      {detail.isError && <Failure error={detail.error} retry={() => detail.refetch()} />}
      {detail.data && (
        <>
          <Checklist key={`checklist ${trunk.id}`} checks={detail.data.checklist} />
          <TwoEnds key={`ends ${trunk.id}`} trunk={detail.data} />
          <Ways trunk={detail.data} />
          <Accounts key={`accounts ${trunk.id}`} trunk={detail.data} zone={zone(trunk.switch)} />
          <Exposure trunk={detail.data} />
          <Services trunk={detail.data} standIn={standIn} />
          <Contract trunk={trunk} on={on} />
          <StraightTest key={`test ${trunk.id}`} trunk={detail.data} />
          <Service key={`service ${trunk.id}`} trunk={detail.data} />
        </>
      )}
      {standIn && <StandInDirectory standIn={standIn} />}
    </aside>
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
      <p className="text-[13px]">
        {block.why}; until {dayAndClock(block.until, zone)}.
      </p>
      <Button className="mt-2" onClick={() => unblock.mutate()} disabled={unblock.isPending}>
        Unblock {block.source}
      </Button>
      {unblock.isError && <Failure error={unblock.error} />}
    </div>
  );
}

/** The state in a word, since when, why, and what was seen. */
function Proof({ trunk }: { trunk: RunningTrunk }) {
  const zone = useZone();
  return (
    <div className="border-b border-line p-4">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <StateMark {...stateOf(trunk)} />
        {trunk.state.since && (
          <span className="text-soft">since {dayAndClock(trunk.state.since, zone(trunk.switch))}</span>
        )}
      </div>
      <div>{trunk.state.cause}</div>
      <div className="text-[13px] break-words text-soft">{trunk.state.evidence}</div>
    </div>
  );
}

/** The last 24 hours: what it was, and how calls to it went. */
function Today({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone();
  const now = useNow();
  return (
    <section className="border-b border-line p-4" aria-label="The last 24 hours">
      <DayStrip spans={trunk.day} now={now} zone={zone(trunk.switch)} />
      <dl className="mt-2 grid grid-cols-3 gap-2 [&_dd]:font-mono [&_dt]:text-[13px] [&_dt]:text-soft">
        <div>
          <dt>Availability</dt>
          <dd>{share(trunk.availability)}</dd>
        </div>
        <div>
          <dt>ASR</dt>
          <dd>
            {share(trunk.answerRatio)}
            {trunk.sentToday > 0 && ` of ${trunk.sentToday}`}
          </dd>
        </div>
        <div>
          <dt>Mean answer delay</dt>
          <dd>{trunk.answerTime > 0 ? `${trunk.answerTime.toFixed(1)} s` : "none yet"}</dd>
        </div>
      </dl>
    </section>
  );
}

const share = (part: number) => (part < 0 ? "none yet" : `${(part * 100).toFixed(1)}%`);

/** Where calls go, where they come from, and what they must show. */
function Ways({ trunk }: { trunk: TrunkDetail }) {
  const zone = useZone();
  return (
    <dl className="grid grid-cols-[8rem_1fr] gap-y-1.5 border-b border-line p-4 [&>dt]:text-soft">
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
                <div className="text-[13px]">
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
            <span className="text-[13px] text-soft">
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

/** The outside trunks that a call from here can reach. */
function Exposure({ trunk }: { trunk: TrunkDetail }) {
  return (
    <section className="border-b border-line p-4" aria-label="Exposure">
      <h3 className="mb-1 font-semibold">Exposure</h3>
      {trunk.exposure.length === 0 ? (
        <p className="text-soft">No inbound call reaches an outside trunk.</p>
      ) : (
        <>
          <p className="text-[13px] text-soft">Inbound calls can reach, at your cost:</p>
          <ul className="mt-1 flex flex-col gap-1">
            {trunk.exposure.map((e) => (
              <li key={e.trunk.id}>
                <Link to={`/trunks/${e.trunk.id}`} className="text-road underline-offset-2 hover:underline">
                  {e.farEnd.name}
                </Link>
                <span className="text-[13px] text-soft">
                  , by rule {e.by.map((r) => r.name).join(", then ")}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt>{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}

/** The number contract as a small table: what we send, what they give. */
function Contract({ trunk, on }: { trunk: RunningTrunk; on: RunningSwitch }) {
  const { called, caller } = trunk.contract;
  const rows = [
    ["domestic numbers", called.domestic, caller.domestic, on.sketches],
    ["international numbers", called.international, caller.international, on.internationalSketches],
    ["extensions", called.extension, caller.extension, on.sketches],
  ] as const;
  return (
    <div className="border-b border-line p-4">
      <h3 className="mb-1 font-semibold">Number contract</h3>
      <table className="w-full text-left [&_td]:py-0.5 [&_th]:font-normal [&_th]:text-soft">
        <thead>
          <tr>
            <th>outbound</th>
            <th>called</th>
            <th>calling</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([kind, to, by, sketches]) => (
            <tr key={kind}>
              <td>{kind}</td>
              <td className="font-mono">{formSketch(to, sketches)}</td>
              <td className="font-mono">{formSketch(by, sketches)}</td>
            </tr>
          ))}
          <tr className="border-t border-line">
            <td>inbound</td>
            <td className="font-mono">{formSketch(trunk.in.calledFormat, on.sketches)}</td>
            <td className="font-mono">{formSketch(trunk.in.callerFormat, on.sketches)}</td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}

/** The power switch of the simulated far end. */
function StandInPower({ standIn }: { standIn: StandIn }) {
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
function StandInDirectory({ standIn }: { standIn: StandIn }) {
  return (
    <div className="p-4">
      <h3 className="mb-1 font-semibold">Directory of the stand-in</h3>
      <p className="mb-2 text-[13px] text-soft">
        Accepts called numbers <Pattern text={standIn.called} />
        {standIn.caller && (
          <>
            {" "}
            from calling numbers <Pattern text={standIn.caller} />
          </>
        )}
        ; other numbers get 404{standIn.caller && ", other calling numbers 403"}.
      </p>
      <table className="w-full text-[13px]">
        <caption className="sr-only">Directory of the stand-in</caption>
        <tbody>
          {standIn.directory.map((e) => (
            <tr key={e.pattern} className="border-t border-line">
              <td className="py-0.5 pr-2 font-mono">{e.pattern}</td>
              <td>{e.behaviour}</td>
            </tr>
          ))}
          <tr className="border-t border-line">
            <td className="py-0.5 pr-2">any other</td>
            <td>{standIn.otherNumbers}</td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}

function Pattern({ text }: { text: string }) {
  return <code className="font-mono text-ink">{text || "any"}</code>;
}
