import type { DigitStep, Rule, Table } from "@/api/client";
import { useRuleMapping } from "@/api/queries";
import { MappedView } from "@/parts/Landing";

interface Props {
  table: Table;
  rule: Rule;
  onTake: (called: DigitStep[]) => void;
}

/** What the digit steps do to every number that the rule takes, and the arithmetic that is right. */
export function RuleMapping({ table, rule, onTake }: Props) {
  const { data } = useRuleMapping({ table: table.id, rule });
  const m = data?.mapped;
  if (!m) return null;
  const take = (first: string, last: string) =>
    onTake([
      { op: "map-block", from: { first: m.first, last: m.last }, to: { first, last } },
      { op: "interpret-as", format: "private" },
    ]);
  return (
    <section aria-label="All its numbers" className="border-y border-line bg-paper px-3 py-2 text-dense">
      <h3 className="font-semibold">
        All its numbers{" "}
        <span className="font-mono font-normal">
          {m.first} – {m.last.slice(-4)}
        </span>
      </h3>
      <MappedView mapped={m} onTake={take} />
    </section>
  );
}
