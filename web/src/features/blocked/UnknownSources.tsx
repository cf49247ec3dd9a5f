import { ShieldCheck } from "lucide-react";
import { Link } from "react-router";
import type { BlockedSourcesView as Gate, Plan } from "@/api/client";
import { putObject, useDraft, useDraftEdit } from "@/api/queries";
import { ago } from "@/lib/time";
import { trusting } from "@/lib/trunk";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

type Stranger = Gate["unknownSources"][number];
type Trunk = Plan["trunks"][number];

/** Requests from addresses that no trunk knows: a far end whose address was forgotten is found here. */
export function UnknownSources({ strangers, all }: { strangers: Stranger[]; all: number }) {
  const draft = useDraft().data?.plan;
  const put = useDraftEdit((edit: { is: Trunk; was: Trunk }) => putObject("trunks", edit));
  return (
    <section aria-label="Unknown sources">
      <h2 className="border-b border-line bg-sunk px-4 py-1 font-semibold">
        Unknown sources, last 24 hours{" "}
        {all > strangers.length && <span className="font-normal text-soft">{all} in all</span>}
      </h2>
      {put.isError && <Failure error={put.error} />}
      {strangers.length === 0 ? (
        <p className="px-4 py-3 text-soft">No requests from unknown sources.</p>
      ) : (
        <table className="w-full table-fixed border-collapse text-left">
          <thead>
            <tr className="border-b border-line text-dense text-soft [&>th]:px-4 [&>th]:py-1 [&>th]:font-normal">
              <th className="w-[18%]">Source</th>
              <th>Last request</th>
              <th className="w-[9%] text-right">Messages</th>
              <th className="w-[9%]">Last</th>
              <th className="w-[9%]">Response</th>
              <th className="w-[20%]">Nearest trunk</th>
            </tr>
          </thead>
          <tbody>
            {strangers.map((s) => (
              <tr
                key={s.switch + s.source}
                className="border-b border-line align-top [&>td]:px-4 [&>td]:py-1"
              >
                <td>
                  <span className="font-mono break-all">
                    {s.source}:{s.port}
                  </span>
                  <div className="text-dense text-soft">
                    {s.by}, at {s.switch}
                  </div>
                </td>
                <td title={`${s.method} ${s.called} from ${s.from}`}>
                  <div className="truncate">
                    {s.method} <span className="font-mono">{s.called}</span>
                  </div>
                  <div className="truncate text-dense text-soft">
                    from <span className="font-mono">{s.from}</span>
                    {s.agent && `, ${s.agent}`}
                  </div>
                </td>
                <td className="text-right">
                  <span className="font-mono">{s.count}</span>
                  {s.floods > 0 && (
                    <div
                      className="text-dense text-bad"
                      title={`${s.floods} dropped: above the limit per source`}
                    >
                      floods
                    </div>
                  )}
                </td>
                <td className="whitespace-nowrap">{ago(s.last)}</td>
                <td>{s.answer}</td>
                <td>
                  <Nearest
                    stranger={s}
                    trunk={draft?.trunks.find((t) => t.id === s.nearest?.id)}
                    busy={put.isPending}
                    onTrust={(was) =>
                      put.mutate({
                        is: trusting(was, s.source),
                        was,
                      })
                    }
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** What carries messages, the easiest to forge first: a trunk takes its own and what is harder. */
const strengths = ["UDP", "TCP", "TLS"];

interface NearestProps {
  stranger: Stranger;
  /** The trunk as the draft has it. */
  trunk?: Trunk;
  busy: boolean;
  onTrust: (trunk: Trunk) => void;
}

function Nearest({ stranger, trunk, busy, onTrust }: NearestProps) {
  if (!stranger.nearest) return <span className="text-soft">none</span>;
  const trusted = trunk?.link.sip?.trustedAddresses?.includes(stranger.source);
  const weak =
    strengths.indexOf(stranger.by) < strengths.indexOf((trunk?.link.sip?.transport ?? "udp").toUpperCase());
  return (
    <>
      <Link to={`/trunks/${stranger.nearest.id}`} className="text-road underline-offset-2 hover:underline">
        {stranger.nearest.name}
      </Link>
      <div className="text-dense text-soft">{stranger.why}</div>
      {trusted ? (
        <StateMark
          tone="draft"
          word={weak ? `trusted, but not over ${stranger.by}` : "trusted in the draft"}
          wrap
        />
      ) : (
        trunk && (
          <Button className="mt-1 h-7" disabled={busy} onClick={() => onTrust(trunk)}>
            <ShieldCheck className="size-4" aria-hidden="true" /> Trust this address
          </Button>
        )
      )}
    </>
  );
}
