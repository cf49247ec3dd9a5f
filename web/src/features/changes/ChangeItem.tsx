import { Link } from "react-router";
import type { Change, Plan } from "@/api/client";
import { useKinds } from "@/features/plan/kinds";
import { kindInWords } from "@/lib/places";
import { fieldLabel, valuesIn } from "@/parts/fields";
import { StateMark, type Tone } from "@/ui/StateMark";

const whats: Record<Change["what"], Tone> = {
  added: "good",
  removed: "bad",
  changed: "draft",
  moved: "road",
};

/** Fields that say nothing about what the change does. */
const untold = new Set(["id", "name"]);

/** One object in which two plans differ, field by field. */
export function ChangeItem({ change, plan }: { change: Change & { by?: string }; plan?: Plan }) {
  const kinds = useKinds();
  const fields =
    change.what === "changed" ? change.fields : change.fields.filter((f) => !untold.has(f.field));
  return (
    <article
      aria-label={`${change.what} ${kindInWords(change.kind)} ${change.name}`}
      className="@container border-b border-line px-4 py-1"
    >
      <div className="grid gap-x-4 @2xl:grid-cols-[6rem_15rem_minmax(0,1fr)_7rem]">
        <div>
          <StateMark tone={whats[change.what]} word={change.what} />
        </div>
        <div className="min-w-0 break-words">
          {change.kind === "rule" ? (
            <Link
              to={`/routing/${change.table}/${change.id}`}
              className="font-semibold text-road underline-offset-2 hover:underline"
            >
              {change.name}
            </Link>
          ) : (
            <span className="font-semibold">{change.name}</span>
          )}{" "}
          <span className="text-dense text-soft">{kindInWords(change.kind)}</span>
        </div>
        <dl className="min-w-0 text-dense">
          {fields.map((f) => (
            <div key={f.field} className="grid grid-cols-[9rem_minmax(0,1fr)] gap-x-3">
              <dt className="text-soft">{fieldLabel(change, f.field, kinds)}</dt>
              <dd className="min-w-0 font-mono break-words">
                {valuesIn(f.field, f.before, plan).map((v) => (
                  <del
                    key={v}
                    className={`mr-2 max-w-full text-bad ${v.includes(" ") ? "block" : "inline-block"}`}
                  >
                    {v}
                  </del>
                ))}
                {valuesIn(f.field, f.after, plan).map((v) => (
                  <ins
                    key={v}
                    className={`mr-2 max-w-full text-added no-underline ${v.includes(" ") ? "block" : "inline-block"}`}
                  >
                    {v}
                  </ins>
                ))}
              </dd>
            </div>
          ))}
        </dl>
        <span
          className="min-w-0 truncate text-dense text-soft @2xl:text-right"
          title={change.by && `edited by ${change.by}`}
        >
          {change.by}
        </span>
      </div>
    </article>
  );
}
