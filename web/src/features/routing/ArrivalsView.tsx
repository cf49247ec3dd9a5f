import { useState } from "react";
import type { Plan, Rule, Table } from "@/api/client";
import { useRuleArrivals } from "@/api/queries";
import { Forms } from "@/parts/Arrivals";
import { smallLook } from "@/ui/controls";

interface Props {
  plan: Plan;
  table: Table;
  rule: Rule;
}

/** What becomes of a public number that the rule takes, in each form in which a carrier may send it. */
export function ArrivalsView({ plan, table, rule }: Props) {
  const [number, setNumber] = useState("");
  const enters = plan.trunks.some((t) => t.inboundTable === table.id && !t.oppositeTrunk);
  if (!enters) return null;
  return <Arrivals table={table} rule={rule} number={number} onNumber={setNumber} />;
}

interface ArrivalsProps {
  table: Table;
  rule: Rule;
  number: string;
  onNumber: (number: string) => void;
}

function Arrivals({ table, rule, number, onNumber }: ArrivalsProps) {
  const { data } = useRuleArrivals({ table: table.id, rule, number: number || undefined });
  if (!data || (data.arrivals.length === 0 && number === "")) return null;
  const trunks = [...new Map(data.arrivals.map((a) => [a.trunk.id, a.trunk])).values()];
  return (
    <details className="border-y border-line bg-paper px-3 py-2 text-dense">
      <summary className="font-semibold">As carriers may send it</summary>
      <label className="mt-1 flex items-center gap-2">
        <span className="whitespace-nowrap text-soft">shown on</span>
        <input
          className={`${smallLook} w-40 font-mono`}
          value={number}
          placeholder={data.number}
          onChange={(e) => onNumber(e.target.value)}
          spellCheck={false}
        />
      </label>
      {trunks.map((t) => (
        <Forms key={t.id} name={t.name} arrivals={data.arrivals.filter((a) => a.trunk.id === t.id)} />
      ))}
    </details>
  );
}
