import { useClocks } from "@/api/calendars";
import { useZone } from "@/api/queries";
import { clock } from "@/lib/time";
import { StateMark } from "@/ui/StateMark";

const said = (ahead: number) =>
  Math.abs(ahead) < 1 ? "the same" : `${Math.abs(ahead).toFixed(0)} s ${ahead > 0 ? "ahead" : "behind"}`;

/** Calendars depend on the clock: it is compared with the database's and with those of far ends. */
export function Clocks() {
  const zone = useZone();
  const clocks = useClocks().data;
  if (!clocks) return null;
  const row = (name: string, c: { offsetSeconds: number; differ: boolean } | undefined, none: string) => (
    <li key={name} className="flex gap-2">
      <span className="min-w-0 flex-1 truncate">{name}</span>
      {c ? (
        <StateMark tone={c.differ ? "bad" : "good"} word={said(c.offsetSeconds)} />
      ) : (
        <span className="text-soft">{none}</span>
      )}
    </li>
  );
  return (
    <section aria-label="Clocks" className="mt-auto border-t border-line px-4 py-2 text-dense">
      <h2 className="font-semibold">
        Clock <span className="font-mono font-normal">{clock(clocks.now, zone())}</span>
      </h2>
      <p className="text-soft">Offset to this machine</p>
      <ul>
        {row("the database", clocks.database, "away")}
        {clocks.farEnds.map((f) => row(f.name, f, ""))}
      </ul>
      {clocks.farEnds.length === 0 && <p className="text-soft">No time from far ends yet.</p>}
    </section>
  );
}
