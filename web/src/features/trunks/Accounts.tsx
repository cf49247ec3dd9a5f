import type { AccountState, TrunkDetail } from "@/api/client";
import { clock } from "@/lib/time";
import { Secret } from "@/parts/Secret";
import { StateMark, type Tone } from "@/ui/StateMark";

/** The accounts by which one side proves itself to the other. */
export function Accounts({ trunk, zone }: { trunk: TrunkDetail; zone?: string }) {
  if (trunk.accounts.length === 0) return null;
  return (
    <section className="border-b border-line p-4" aria-label="Accounts">
      <h3 className="mb-1 font-semibold">Accounts</h3>
      <ul className="flex flex-col gap-3">
        {trunk.accounts.map((a) => (
          <Account key={`${a.side} ${a.id}`} trunk={trunk.id} account={a} zone={zone} />
        ))}
      </ul>
    </section>
  );
}

const looks: Record<string, { tone: Tone; word: string }> = {
  registered: { tone: "good", word: "registered" },
  trying: { tone: "soft", word: "REGISTER sent, no response yet" },
  refused: { tone: "bad", word: "refused" },
  silent: { tone: "bad", word: "no response" },
  absent: { tone: "bad", word: "not registered" },
  unused: { tone: "soft", word: "authenticates calls, no registration" },
};

function Account({ trunk, account: a, zone }: { trunk: string; account: AccountState; zone?: string }) {
  const look = looks[a.state] ?? { tone: "soft", word: a.state };
  return (
    <li>
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="font-mono break-all">{a.user}</span>
        <span className="text-dense text-soft">
          {a.side === "inbound" ? "inbound" : "outbound"}
          {a.number && `, for ${a.number}`}
          {a.port && `, ${a.port}`}
        </span>
      </div>
      <StateMark {...look} />
      {a.until && a.state === "registered" && (
        <span className="ml-2 text-dense text-soft">
          until {clock(a.until, zone)}
          {a.server && (
            <>
              , at <span className="font-mono">{a.server}</span>
            </>
          )}
        </span>
      )}
      {a.evidence && <div className="text-dense text-soft">{a.evidence}</div>}
      {a.next && a.state !== "registered" && (
        <div className="text-dense text-soft">next try at {clock(a.next, zone)}</div>
      )}
      {a.contacts.map((c) => (
        <div key={c.uri} className="text-dense text-soft">
          <span className="font-mono break-all text-ink">{c.uri}</span> by {c.by} from{" "}
          <span className="font-mono">{c.source}</span>
          {c.agent && `, ${c.agent}`}
        </div>
      ))}
      <Secret trunk={trunk} side={a.side} id={a.id} user={a.user} set={a.secret} />
    </li>
  );
}
