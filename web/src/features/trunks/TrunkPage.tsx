import { Link, useParams } from "react-router";
import type { Network, TrunkDetail } from "@/api/client";
import { useDraft, useTrunk } from "@/api/queries";
import { CallTable } from "@/features/calls/CallTable";
import { EditObject } from "@/features/plan/EditObject";
import { ago } from "@/lib/time";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { ObjectPage, type Section } from "@/ui/ObjectPage";
import { StateMark } from "@/ui/StateMark";
import { HistorySection } from "./HistorySection";
import { RoutingSection } from "./RoutingSection";
import { StateSection } from "./StateSection";
import { stateOf } from "./state";
import { percent } from "./traffic";

/** Everything about one trunk: its state, settings, routing, calls and history. */
export function TrunkPage({ id, network }: { id: string; network: Network }) {
  const { section = "" } = useParams();
  const running = network.trunks.find((t) => t.id === id);
  const detail = useTrunk(id);
  const draft = useDraft();
  if (!running) {
    const drafted = draft.data?.plan.trunks.find((t) => t.id === id);
    return (
      <Empty
        action={
          <Link to={drafted ? `/plan/trunks/${id}` : "/trunks"} className="text-road underline">
            {drafted ? "Edit its settings" : "All trunks"}
          </Link>
        }
      >
        {drafted ? `${drafted.name} is in the draft, not live yet.` : `No trunk ${id}.`}
      </Empty>
    );
  }
  if (detail.isPending) return <Loading what="the trunk" />;
  if (!detail.data) return <Failure error={detail.error} retry={() => detail.refetch()} />;
  const trunk = detail.data;
  const on = network.switches.find((s) => s.id === trunk.switch);
  const at = `/trunks/${id}`;
  return (
    <ObjectPage
      label={`Trunk ${trunk.name}`}
      back={{ to: "/trunks", name: "Trunks" }}
      title={trunk.name}
      facts={
        <>
          <StateMark {...stateOf(trunk)} />
          {trunk.state.since && <span className="text-soft">since {ago(trunk.state.since)}</span>}
          <span className="text-soft">
            {trunk.farEnd.kind.replace("-", " ")} {trunk.farEnd.name !== trunk.name && trunk.farEnd.name},
            switch {on?.name}
          </span>
          {trunk.farEnd.note && <span className="text-soft">{trunk.farEnd.note}</span>}
        </>
      }
      actions={
        <a
          href={`/api/trunks/${trunk.id}/sheet`}
          download={`${trunk.id}.md`}
          className="text-road underline-offset-2 hover:underline"
          title="Settings and firewall ports for the far end"
        >
          Interconnect sheet
        </a>
      }
      sections={sectionsOf(trunk, at)}
    >
      {section === "settings" && (
        <EditObject kind="trunks" id={id} pathOf={(o) => (o === id ? `${at}/settings` : "/trunks")} />
      )}
      {section === "routing" && on && draft.data && (
        <RoutingSection trunk={trunk} on={on} plan={draft.data.plan} />
      )}
      {section === "calls" && (
        <div className="flex h-full flex-col">
          <CallTable name="trunk-calls" search={{ trunk: id }} empty="No call used this trunk yet." />
        </div>
      )}
      {section === "history" && <HistorySection trunk={trunk} />}
      {section === "" && <StateSection trunk={trunk} />}
    </ObjectPage>
  );
}

/** The sections, each with what it comes to. */
function sectionsOf(trunk: TrunkDetail, at: string): Section[] {
  const wrong = trunk.checklist.filter((c) => c.state === "failed").length;
  const differ = trunk.ends.rows.filter((r) => r.state === "differ").length;
  const worst = [wrong > 0 && `${wrong} failed`, differ > 0 && `${differ} differ`].filter(Boolean).join(", ");
  return [
    {
      path: at,
      name: "State",
      sum: worst ? <span className="text-bad">{worst}</span> : "checklist, both ends",
    },
    { path: `${at}/settings`, name: "Settings", sum: "draft" },
    { path: `${at}/routing`, name: "Routing", sum: trunk.inboundTable || "outbound only" },
    {
      path: `${at}/calls`,
      name: "Calls",
      sum: `${trunk.inUse} active, ${trunk.calls.in + trunk.calls.out} since start`,
    },
    {
      path: `${at}/history`,
      name: "History",
      sum: trunk.availability < 0 ? "24 h" : `${percent(trunk.availability)} available`,
    },
  ];
}
