import type { Plan } from "@/api/client";
import { Field, inputLook } from "@/ui/controls";
import { Select } from "@/ui/Select";
import { type Kind, objectsOf } from "./model";

interface Props {
  plan: Plan;
  kind: Kind;
  id: string;
  error?: string;
  onID: (id: string) => void;
  /** The id of the object before which it will stand; empty: last. */
  before: string;
  onBefore: (id: string) => void;
}

/** What only a new object is asked: its id and, where the order counts, its place. */
export function NewObjectFields({ plan, kind, id, error, onID, before, onBefore }: Props) {
  return (
    <div className="mt-2 grid grid-cols-2 gap-x-5">
      <Field label="Id" error={error} hint="identifier in plan files; it cannot change">
        {(p) => (
          <input
            {...p}
            className={`${inputLook} font-mono`}
            value={id}
            onChange={(e) => onID(e.target.value)}
            required
          />
        )}
      </Field>
      {kind.ordered && (
        <Field label="Place" hint={kind.ordered}>
          {(p) => (
            <Select
              {...p}
              value={before}
              onChange={onBefore}
              options={objectsOf(plan, kind.field).map((x) => ({ value: x.id, label: `before ${x.name}` }))}
              none="last"
            />
          )}
        </Field>
      )}
    </div>
  );
}
