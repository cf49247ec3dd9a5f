import { useState } from "react";
import { api, type NumberAsk, type NumbersEdit, type Plan, take } from "@/api/client";
import { useDraftEdit } from "@/api/queries";
import { Button, smallLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { named, Select, words } from "@/ui/Select";
import { StateMark } from "@/ui/StateMark";
import { states } from "./words";

type Field = keyof NonNullable<NumbersEdit["set"]>;

interface Props {
  plan: Plan;
  ask: NumberAsk;
  /** The rows that are selected; all that was found, if none are. */
  ids: string[];
  found: number;
  onDone: () => void;
}

/** One field of many rows set at once, or the rows deleted: one step, which one undo reverts. */
export function BulkEdit({ plan, ask, ids, found, onDone }: Props) {
  const [field, setField] = useState<Field>("state");
  const [value, setValue] = useState("");
  const [asked, setAsked] = useState(false);
  const edit = useDraftEdit((body: NumbersEdit) => take(api.POST("/api/draft/numbers-edit", { body })));
  const count = ids.length || found;
  const rows = `${count.toLocaleString("en-GB")} ${count === 1 ? "row" : "rows"}`;
  const send = (what: Pick<NumbersEdit, "set" | "delete">) => {
    const { text, state, carrier, site, destination, kind, only } = ask;
    edit.mutate(
      {
        ...what,
        found: count,
        ...(ids.length > 0 ? { ids } : { where: { text, state, carrier, site, destination, kind, only } }),
      },
      { onSuccess: onDone },
    );
  };
  const choices: Partial<Record<Field, { id: string; name: string }[]>> = {
    state: states.map((s) => ({ id: s, name: s })),
    destination: plan.destinations,
    carrier: plan.farEnds,
  };
  const options = choices[field];
  return (
    <fieldset className="flex flex-wrap items-center gap-2 border-b border-line bg-sheet px-4 py-1 text-dense">
      <legend className="sr-only">Bulk edit</legend>
      <span className="font-semibold">
        {rows} {ids.length > 0 ? "selected" : "found"}
      </span>
      <label className="flex items-center gap-1">
        <span className="text-soft">Set</span>
        <Select
          small
          value={field}
          onChange={(f) => {
            setField(f as Field);
            setValue("");
          }}
          options={words(["state", "destination", "carrier", "site", "owner"])}
        />
      </label>
      {options ? (
        <Select
          aria-label={`New ${field}`}
          small
          value={value}
          onChange={setValue}
          none={field === "state" ? undefined : "none"}
          options={named(options)}
        />
      ) : (
        <input
          aria-label={`New ${field}`}
          className={smallLook}
          value={value}
          maxLength={200}
          placeholder="none"
          onChange={(e) => setValue(e.target.value)}
        />
      )}
      <Button
        className="h-7"
        disabled={edit.isPending || (field === "state" && !value)}
        onClick={() => send({ set: { [field]: value } })}
      >
        Apply to {rows}
      </Button>
      <Button
        look={asked ? "danger" : "bare-danger"}
        className="h-7"
        disabled={edit.isPending}
        onBlur={() => setAsked(false)}
        onClick={() => {
          if (asked) send({ delete: true });
          setAsked(!asked);
        }}
      >
        {asked ? `Confirm: delete ${rows}` : "Delete"}
      </Button>
      {edit.isSuccess && <StateMark tone="draft" word={`${edit.data.changed} changed in the draft`} />}
      {edit.isError && <Failure error={edit.error} />}
    </fieldset>
  );
}
