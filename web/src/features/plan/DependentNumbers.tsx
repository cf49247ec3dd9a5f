import { Link } from "react-router";
import { useDependentNumbers } from "@/api/queries";
import { Digits } from "@/ui/Digits";
import { Failure, Loading } from "@/ui/feedback";

/** The public numbers whose calls go elsewhere as a calendar changes its state. */
export function DependentNumbers({ calendar }: { calendar: string }) {
  const found = useDependentNumbers(calendar);
  if (found.isPending) return <Loading what="numbers" />;
  if (!found.data) return <Failure error={found.error} retry={() => found.refetch()} />;
  const { numbers, rows, of } = found.data;
  return (
    <section aria-label="Dependent numbers">
      <h2 className="font-semibold">Numbers</h2>
      {numbers.length === 0 && <p className="text-soft">None depends on it.</p>}
      <ul className="flex flex-col gap-2">
        {numbers.map((n) => (
          <li key={`${n.number} ${n.trunk.id}`}>
            <Link to={`/numbers/${n.row}`} className="text-road underline-offset-2 hover:underline">
              <Digits number={n.number} />
            </Link>{" "}
            <span className="text-dense text-soft">from {n.trunk.name}</span>
            <dl className="grid grid-cols-[5rem_1fr] text-dense">
              {n.ways.map((w) => (
                <div key={w.state} className="contents">
                  <dt className="truncate text-soft">{w.state}</dt>
                  <dd className="truncate" title={w.why}>
                    {w.lands?.name ?? "rejected"}
                  </dd>
                </div>
              ))}
            </dl>
          </li>
        ))}
      </ul>
      {rows < of && (
        <p className="text-dense text-soft">
          First {rows.toLocaleString("en-GB")} of {of.toLocaleString("en-GB")} rows
        </p>
      )}
    </section>
  );
}
