import { useQueries } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Collection } from "@/api/client";
import { collectionQuery } from "@/api/queries";
import { fallenBetween, openCount } from "./fallen";

interface Props {
  ask: Omit<Parameters<typeof collectionQuery>[0], "typed">;
  typed: string;
}

/** How many of the last keys are shown: no dial pattern has more digits. */
const keysShown = 32;

/** How many rules that fell at one key are named. */
const most = 4;

/** Key by key: how many rules were left, which fell out, and which timer ran. */
export function KeyHistory({ ask, typed }: Props) {
  const from = Math.max(0, typed.length - keysShown);
  const prefixes = Array.from({ length: typed.length - from + 1 }, (_, i) => typed.slice(0, from + i));
  const found = useQueries({ queries: prefixes.map((p) => collectionQuery({ ...ask, typed: p })) });
  return (
    <section aria-label="History of keys" className="mt-4">
      <h3 className="font-semibold">Keys</h3>
      <table className="w-full text-left text-dense">
        <thead>
          <tr className="text-soft [&>th]:pr-4 [&>th]:font-normal">
            <th scope="col">Key</th>
            <th scope="col" className="text-right">
              Rules left
            </th>
            <th scope="col">Timer</th>
            <th scope="col">No longer matching</th>
          </tr>
        </thead>
        <tbody>
          {prefixes.slice(1).map((p, i) => (
            <Row key={p} digit={p.at(-1) ?? ""} before={found[i]?.data} after={found[i + 1]?.data} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({ digit, before, after }: { digit: string; before?: Collection; after?: Collection }) {
  const fallen = before && after ? fallenBetween(before, after) : [];
  return (
    <tr className="border-t border-line align-top [&>td]:py-1 [&>td]:pr-4">
      <td className="w-12 font-mono text-body">{digit}</td>
      <td className="w-20 text-right font-mono">{after && openCount(after)}</td>
      <td className="w-32 text-soft">{after?.timer ? `${after.timer}, ${after.ms / 1000} s` : "none"}</td>
      <td>
        {fallen.slice(0, most).map((f, i) => (
          <span key={f.table.id + f.id}>
            {i > 0 && ", "}
            <Link
              to={`/routing/${f.table.id}/${f.id}`}
              className="underline underline-offset-2"
              title={f.pattern}
            >
              {f.name}
            </Link>
          </span>
        ))}
        {fallen.length > most && <span className="text-soft"> and {fallen.length - most} more</span>}
      </td>
    </tr>
  );
}
