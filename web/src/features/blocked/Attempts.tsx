import { Link } from "react-router";
import type { BlockedSourcesView } from "@/api/client";
import { useZone } from "@/api/queries";
import { dayAndClock } from "@/lib/time";

type History = BlockedSourcesView["attempts"];

const slot = 15 * 60_000;
const slots = 96;

/** What unknown sources attempted in the last 24 h: over time, with which user agents, at which targets. */
export function Attempts({ history, now }: { history: History; now: number }) {
  const zone = useZone()();
  const total = history.slots.reduce((n, s) => n + s.count, 0);
  const most = Math.max(1, ...history.slots.map((s) => s.count));
  const by = new Map(history.slots.map((s) => [Date.parse(s.from), s.count]));
  const first = (Math.floor(now / slot) - slots + 1) * slot;
  return (
    <section aria-label="Attempts" className="border-b border-line bg-sheet px-4 py-2">
      <h2 className="font-semibold">
        Attempts of unknown sources{" "}
        <span className="font-normal text-soft">{total.toLocaleString("en-GB")} in 24 h, by 15 min</span>
      </h2>
      {total > 0 && (
        <>
          <div
            className="mt-2 flex h-12 items-end gap-px border-b border-edge"
            role="img"
            aria-label={`${total} attempts in 24 h, at most ${most} in 15 min`}
          >
            {Array.from({ length: slots }, (_, i) => {
              const at = first + i * slot;
              const n = by.get(at) ?? 0;
              return (
                <span
                  key={at}
                  title={n > 0 ? `${dayAndClock(new Date(at).toISOString(), zone)}: ${n}` : undefined}
                  className="min-w-0 flex-1 bg-warn"
                  style={{ height: `${(n / most) * 100}%`, minHeight: n > 0 ? 2 : 0 }}
                />
              );
            })}
          </div>
          <div className="mt-2 grid grid-cols-2 gap-8">
            <Tallies name="User agents" list={history.agents} />
            <Tallies name="Targets" list={history.targets} />
          </div>
        </>
      )}
    </section>
  );
}

function Tallies({ name, list }: { name: string; list: History["agents"] }) {
  return (
    <div className="min-w-0">
      <h3 className="text-dense text-soft">{name}</h3>
      {list.length === 0 && <p className="text-soft">none given</p>}
      <ol>
        {list.map((t) => (
          <li key={t.name} className="flex justify-between gap-3 text-dense">
            <span className="min-w-0 truncate font-mono">{t.name}</span>
            <span className="font-mono">{t.count.toLocaleString("en-GB")}</span>
          </li>
        ))}
      </ol>
    </div>
  );
}

/** The addresses that trunks of the live plan trust. */
export function Trusted({ list }: { list: BlockedSourcesView["trusted"] }) {
  return (
    <section aria-label="Trusted sources" className="mt-6">
      <h2 className="font-semibold">Trusted sources</h2>
      <p className="text-dense text-soft">Limited in rate, never blocked.</p>
      {list.length === 0 && <p className="text-soft">No trunk trusts an address.</p>}
      <ul className="text-dense">
        {list.map((t) => (
          <li key={t.trunk.id} className="border-b border-line py-1">
            <Link to={`/trunks/${t.trunk.id}`} className="block text-road underline-offset-2 hover:underline">
              {t.trunk.name}
            </Link>
            <span className="font-mono break-words">{t.addresses.join(", ")}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
