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
  const { database, farEnds } = clocks;
  const wrong = farEnds.filter((f) => f.differ);
  const same = farEnds.length - wrong.length;
  return (
    <section
      aria-label="Clocks"
      className="max-h-48 overflow-auto border-t border-line px-4 py-2 text-dense"
      title="Offset to this machine"
    >
      <h2 className="font-semibold">
        Clock <span className="font-mono font-normal">{clock(clocks.now, zone())}</span>
      </h2>
      <ul>
        <Offset name="database" of={database} />
        {wrong.map((f) => (
          <Offset key={f.name} name={f.name} of={f} />
        ))}
      </ul>
      {farEnds.length === 0 ? (
        <p className="text-soft">No time from far ends yet.</p>
      ) : (
        <StateMark
          tone="good"
          quiet
          word={`${same} of ${farEnds.length} far ends the same`}
          title={farEnds.map((f) => `${f.name}: ${said(f.offsetSeconds)}`).join("\n")}
        />
      )}
    </section>
  );
}

function Offset({ name, of }: { name: string; of?: { offsetSeconds: number; differ: boolean } }) {
  return (
    <li className="flex gap-2">
      <span className="min-w-0 flex-1 truncate">{name}</span>
      {of ? (
        <StateMark tone={of.differ ? "bad" : "good"} quiet={!of.differ} word={said(of.offsetSeconds)} />
      ) : (
        <span className="text-soft">away</span>
      )}
    </li>
  );
}
