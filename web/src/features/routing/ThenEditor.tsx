import type { Plan, Table, Then } from "@/api/client";
import { Field, inputLook } from "@/ui/controls";

interface Props {
  plan: Plan;
  table: Table;
  then: Then;
  onChange: (then: Then) => void;
  error?: string;
}

/** Causes that people refuse with (ITU-T Q.850). */
const causes: [number, string][] = [
  [1, "unallocated number"],
  [3, "no route to destination"],
  [17, "user busy"],
  [20, "subscriber absent"],
  [21, "call rejected"],
  [28, "address incomplete"],
  [31, "normal, unspecified"],
  [34, "no circuit available"],
];

/** Where the rule sends a call: one choice out of what its switch has. */
export function ThenEditor({ plan, table, then, onChange, error }: Props) {
  const here = <T extends { switch: string }>(list: T[]) => list.filter((x) => x.switch === table.switch);
  const onThisSwitch = new Set(here(plan.trunks).map((t) => t.id));
  const value = then.table
    ? `table:${then.table}`
    : then.path
      ? `path:${then.path}`
      : then.destination
        ? `destination:${then.destination}`
        : then.inventory
          ? "inventory:"
          : then.refuse
            ? `refuse:${then.refuse}`
            : "";
  const choose = (v: string) => {
    const [kind, id] = [v.slice(0, v.indexOf(":")), v.slice(v.indexOf(":") + 1)];
    if (kind === "inventory") onChange({ inventory: true });
    else onChange(kind === "refuse" ? { refuse: Number(id) } : { [kind]: id });
  };
  const path = plan.paths.find((p) => p.id === then.path);
  const order = path?.choices
    .map((c) => plan.trunks.find((t) => t.id === c.trunk)?.name ?? c.trunk)
    .join(", then ");
  return (
    <Field label="Then" error={error} hint={order && `tries ${order}`}>
      {(p) => (
        <select {...p} className={inputLook} value={value} onChange={(e) => choose(e.target.value)} required>
          <option value="" disabled>
            choose where the call goes
          </option>
          <optgroup label="go on in table">
            {here(plan.tables).map((t) => (
              <option key={t.id} value={`table:${t.id}`}>
                {t.name}
              </option>
            ))}
          </optgroup>
          <optgroup label="take path">
            {here(plan.paths).map((x) => (
              <option key={x.id} value={`path:${x.id}`}>
                {x.name}
              </option>
            ))}
          </optgroup>
          <optgroup label="deliver to">
            {plan.destinations
              .filter((d) => onThisSwitch.has(d.trunk))
              .map((d) => (
                <option key={d.id} value={`destination:${d.id}`}>
                  {d.name}
                </option>
              ))}
          </optgroup>
          <optgroup label="deliver by number">
            <option value="inventory:">what answers the number in the inventory</option>
          </optgroup>
          <optgroup label="refuse with">
            {causes.map(([q, name]) => (
              <option key={q} value={`refuse:${q}`}>
                cause {q}, {name}
              </option>
            ))}
            {then.refuse && !causes.some(([q]) => q === then.refuse) && (
              <option value={`refuse:${then.refuse}`}>cause {then.refuse}</option>
            )}
          </optgroup>
        </select>
      )}
    </Field>
  );
}
