import { Link, useNavigate, useParams } from "react-router";
import type { RunningSwitch, RunningTrunk } from "@/api/client";
import { useNetwork } from "@/api/queries";
import { walkRows } from "@/lib/list";
import { ago, day } from "@/lib/time";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { Meter } from "@/ui/Meter";
import { StateMark } from "@/ui/StateMark";
import { stateOf } from "./state";
import { TrunkPanel } from "./TrunkPanel";

export function TrunksView() {
  const network = useNetwork();
  const { trunk: chosen } = useParams();
  const navigate = useNavigate();
  if (network.isPending) return <Loading what="the trunks" />;
  if (!network.data) return <Failure error={network.error} retry={() => network.refetch()} />;
  const { switches, trunks } = network.data;
  if (trunks.length === 0) {
    return (
      <Empty
        action={
          <Link to="/changes" className="text-road underline">
            Import a plan
          </Link>
        }
      >
        No trunk is live yet. A plan with trunks can be imported under Changes and made live there.
      </Empty>
    );
  }
  const shown = trunks.find((t) => t.id === chosen) ?? trunks[0];
  const on = switches.find((s) => s.id === shown?.switch);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_25rem]">
      <div className="overflow-auto">
        {switches.map((sw) => (
          <section key={sw.id} aria-label={`Switch ${sw.name}`}>
            <h2 className="flex items-baseline gap-3 border-b border-line bg-sunk px-4 py-1.5">
              <span className="font-semibold">Switch {sw.name}</span>
              <span className="font-mono text-[13px]">{sw.address}</span>
              <span className="text-soft">
                {sw.country}, area {sw.area || "none"}
              </span>
              {sw.tls && <Secured tls={sw.tls} />}
              <span className="ml-auto text-[13px] text-soft">
                {sw.unknownMessages > 0 &&
                  `messages from unknown sources: ${sw.unknownMessages}, beside those that were challenged`}
                <span className="ml-4">
                  RTP ports: <span className="font-mono">{sw.rtpPorts.used * 2}</span> of{" "}
                  <span className="font-mono">{sw.rtpPorts.all * 2}</span> in use
                  {sw.rtpPorts.refused > 0 && (
                    <span className="text-bad">, {sw.rtpPorts.refused} calls found none</span>
                  )}
                </span>
              </span>
            </h2>
            <table className="w-full table-fixed border-collapse text-left" onKeyDown={walkRows}>
              <colgroup>
                <col className="w-[19%]" />
                <col className="w-[21%]" />
                <col className="w-[16%]" />
                <col className="w-[19%]" />
                <col className="w-[12%]" />
                <col className="w-[13%]" />
              </colgroup>
              <thead>
                <tr className="border-b border-line text-[13px] text-soft [&>th]:px-4 [&>th]:py-1 [&>th]:font-normal">
                  <th>Trunk</th>
                  <th>State</th>
                  <th>Channels</th>
                  <th>Last seen</th>
                  <th className="text-right">Inbound</th>
                  <th className="text-right">Outbound</th>
                </tr>
              </thead>
              <tbody>
                {trunks
                  .filter((t) => t.switch === sw.id)
                  .map((t) => (
                    <TrunkRow
                      key={t.id}
                      trunk={t}
                      chosen={t.id === shown?.id}
                      onChoose={() => navigate(`/trunks/${t.id}`, { replace: true })}
                    />
                  ))}
              </tbody>
            </table>
          </section>
        ))}
      </div>
      {shown && on && <TrunkPanel trunk={shown} on={on} />}
    </div>
  );
}

function TrunkRow({
  trunk,
  chosen,
  onChoose,
}: {
  trunk: RunningTrunk;
  chosen: boolean;
  onChoose: () => void;
}) {
  const state = stateOf(trunk);
  return (
    <tr
      data-row
      tabIndex={0}
      aria-selected={chosen}
      onClick={onChoose}
      onFocus={onChoose}
      className="border-b border-line align-top aria-selected:bg-road-wash [&>td]:px-4 [&>td]:py-2"
    >
      <td className="max-w-64">
        <div className="truncate font-semibold" title={trunk.name}>
          {trunk.name}
        </div>
        <div className="truncate text-[13px] text-soft">
          {trunk.farEnd.kind.replace("-", " ")}
          {trunk.farEnd.name !== trunk.name && `, ${trunk.farEnd.name}`}
        </div>
      </td>
      <td>
        <StateMark {...state} />
        <div className="text-[13px] whitespace-nowrap text-soft">
          {trunk.state.since ? `since ${ago(trunk.state.since)}` : "no traffic yet"}
          {trunk.state.word === "answers" && `, ${trunk.state.roundMs.toFixed(1)} ms`}
        </div>
        {trunk.warning && (
          <div className="text-[13px]">
            <StateMark tone="draft" word={trunk.warning} wrap />
          </div>
        )}
      </td>
      <td>
        <Channels used={trunk.inUse} all={trunk.channels} />
      </td>
      <td>
        {trunk.lastSeen ? (
          <>
            <div>{ago(trunk.lastSeen)}</div>
            <div className="max-w-52 truncate text-[13px] text-soft" title={trunk.lastWhat}>
              {trunk.lastWhat}
            </div>
          </>
        ) : (
          <span className="text-soft">never</span>
        )}
      </td>
      <td className="text-right font-mono">{trunk.calls.in}</td>
      <td className="text-right font-mono">
        {trunk.calls.out}
        <div className="font-sans text-[13px] whitespace-nowrap text-soft">
          {trunk.calls.out > 0 && `${trunk.calls.answered} answered`}
        </div>
      </td>
    </tr>
  );
}

/** Where the switch takes TLS, and until when its certificate holds. */
function Secured({ tls }: { tls: NonNullable<RunningSwitch["tls"]> }) {
  const until = tls.until ? `certificate until ${day(tls.until)}` : "no certificate";
  return (
    <span className="text-[13px] text-soft" title={`${tls.address}; ${until}; for ${tls.names.join(", ")}`}>
      TLS <span className="font-mono">{tls.address.split(":").at(-1)}</span>
      {tls.warning && <StateMark tone="bad" word={tls.warning} />}
    </span>
  );
}

function Channels({ used, all }: { used: number; all: number }) {
  return (
    <span className="inline-flex items-center gap-2">
      <span className="font-mono">
        {used}/{all}
      </span>
      <Meter used={used} all={all} label="channels in use" />
    </span>
  );
}
