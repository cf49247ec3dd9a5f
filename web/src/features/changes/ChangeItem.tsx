import { Link } from "react-router";
import type { Change } from "@/api/client";
import { kindInWords } from "@/lib/places";
import { StateMark, type Tone } from "@/ui/StateMark";

const whats: Record<Change["what"], Tone> = {
  added: "good",
  removed: "bad",
  changed: "draft",
  moved: "road",
};

/** One object in which two plans differ, field by field. */
export function ChangeItem({ change }: { change: Change & { by?: string } }) {
  const kind = kindInWords(change.kind);
  return (
    <div className="border-b border-line px-4 py-2">
      <div className="flex items-baseline gap-3">
        <StateMark tone={whats[change.what]} word={change.what} />
        <span className="text-soft">{kind}</span>
        {change.kind === "rule" ? (
          <Link
            to={`/routing/${change.table}/${change.id}`}
            className="font-semibold text-road underline-offset-2 hover:underline"
          >
            {change.name}
          </Link>
        ) : (
          <span className="font-semibold">{change.name}</span>
        )}
      </div>
      {change.by && <div className="text-[13px] text-soft">by {change.by}</div>}
      <table className="mt-1 text-[13px]">
        <tbody>
          {change.fields.map((f) => (
            <tr key={f.field} className="align-top [&>td]:py-0.5 [&>td]:pr-4">
              <td className="text-soft">{f.field.replaceAll("/", " › ")}</td>
              <td className="font-mono break-all">
                {f.before && <del className="text-bad">{f.before}</del>}
                {f.before && f.after && " "}
                {f.after && <ins className="text-added no-underline">{f.after}</ins>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
