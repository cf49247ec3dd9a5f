import { Plus, Settings2 } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Plan, Problem, type Table, take } from "@/api/client";
import { useDraftEdit } from "@/api/queries";
import { differences, freeID } from "@/lib/value";
import { DeleteButton } from "@/parts/edit/DeleteButton";
import { SaveBar } from "@/parts/edit/SaveBar";
import { useEdit } from "@/parts/edit/useEdit";
import { fieldLabel } from "@/parts/fields";
import { Button, Field, FieldError, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { Select } from "@/ui/Select";

/** Adds an empty table to a switch. */
export function AddTable({
  plan,
  switchID,
  switchName,
  words,
}: {
  plan: Plan;
  switchID: string;
  switchName: string;
  /** What the button says; without it, it is a sign alone. */
  words?: string;
}) {
  const navigate = useNavigate();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const add = useDraftEdit((body: { id: string; name: string }) =>
    take(
      api.POST("/api/draft/tables", {
        body: { ...body, switch: switchID, format: "as-dialled", order: "as-listed" },
      }),
    ),
  );
  const id = freeID(name, "table", plan.tables);
  const error = add.error instanceof Problem ? add.error.at("name") : undefined;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className={`text-road ${words ? "inline-flex items-center gap-1 underline-offset-2 hover:underline" : "ml-auto"}`}
          aria-label={`Add a table to ${switchName}`}
          title={`Add a table to ${switchName}`}
        >
          <Plus className="size-4" aria-hidden="true" />
          {words}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="right"
          className="z-20 w-72 rounded-[4px] border border-line bg-sheet p-3 shadow-xl"
        >
          <form
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              add.mutate(
                { id, name },
                {
                  onSuccess: () => {
                    setOpen(false);
                    setName("");
                    navigate(`/routing/${id}`);
                  },
                },
              );
            }}
          >
            <Field label={`New table on ${switchName}`} error={error} hint="Unique on its switch">
              {(p) => (
                <input
                  {...p}
                  className={inputLook}
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                  required
                />
              )}
            </Field>
            {add.isError && !error && <Failure error={add.error} />}
            <Button type="submit" look="main" disabled={add.isPending || id === ""}>
              Add table
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The match order of a table's rules. */
export function PolicySelect({ table }: { table: Table }) {
  const own = { name: table.name, format: table.format, note: table.note };
  const put = useDraftEdit((order: Table["order"]) =>
    take(
      api.PUT("/api/draft/tables/{id}", {
        params: { path: { id: table.id } },
        body: { ...own, order, was: { ...own, order: table.order } },
      }),
    ),
  );
  return (
    <label className="flex shrink-0 items-center gap-2 text-dense whitespace-nowrap text-soft">
      match order
      <Select
        small
        value={table.order}
        disabled={put.isPending}
        onChange={(order) => put.mutate(order as Table["order"])}
        options={[
          { value: "as-listed", label: "as listed" },
          { value: "specific-first", label: "most specific first" },
        ]}
      />
      {put.isError && <FieldError>{put.error.message}</FieldError>}
    </label>
  );
}

/** The number formats in which the patterns of a table can be written. */
const forms: readonly (readonly [string, string])[] = [
  ["as-dialled", "as dialled"],
  ["e164", "E.164 (+)"],
  ["e164-bare", "E.164 without +"],
  ["international", "international prefix"],
  ["national", "national"],
  ["national-bare", "national significant number"],
  ["local", "local"],
  ["private", "extension"],
];

/** Changes a table's own settings. */
export function TableSettings({ table }: { table: Table }) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button look="bare" className="h-7 shrink-0 px-2 text-dense">
          <Settings2 className="size-4" aria-hidden="true" /> Table settings
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="z-20 w-96 rounded-[4px] border border-line bg-sheet shadow-xl"
          collisionPadding={8}
        >
          <SettingsForm table={table} onSaved={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

type Settings = Pick<Table, "name" | "format" | "order" | "note">;

function SettingsForm({ table, onSaved }: { table: Table; onSaved: () => void }) {
  const object: Settings = { name: table.name, format: table.format, order: table.order, note: table.note };
  const edit = useEdit<Settings>({
    object,
    isNew: false,
    definition: "Table",
    put: ({ is, was }, query) =>
      take(
        api.PUT("/api/draft/tables/{id}", {
          params: { path: { id: table.id }, query },
          body: { ...is, name: is.name ?? "", was },
        }),
      ).then(() => ({ id: table.id })),
    onSaved,
  });
  const { value, at } = edit;
  return (
    <form className="flex flex-col" {...edit.form}>
      <div className="flex flex-col gap-2 p-3">
        <Field label="Name" error={at("name")}>
          {(p) => (
            <input
              {...p}
              className={inputLook}
              value={value.name ?? ""}
              onChange={(e) => edit.set("name", e.target.value)}
              required
            />
          )}
        </Field>
        <Field
          label="Number format"
          error={at("format")}
          hint="Format of called and calling patterns; numbers are converted to it on entry."
        >
          {(p) => (
            <Select
              {...p}
              value={value.format || "as-dialled"}
              onChange={(format) => edit.set("format", format)}
              options={forms.map(([value, label]) => ({ value, label }))}
            />
          )}
        </Field>
        <Field label="Note" error={at("note")}>
          {(p) => (
            <input
              {...p}
              className={inputLook}
              value={value.note ?? ""}
              onChange={(e) => edit.set("note", e.target.value)}
            />
          )}
        </Field>
      </div>
      <SaveBar
        edit={edit}
        changed={differences(object, value).map((place) => fieldLabel({ kind: "table" }, place, []))}
      />
    </form>
  );
}

/** Deletes a table without rules from the draft. */
export function TakeTableOut({ table }: { table: Table }) {
  const navigate = useNavigate();
  return (
    <DeleteButton
      small
      word="Delete table"
      remove={() => take(api.DELETE("/api/draft/tables/{id}", { params: { path: { id: table.id } } }))}
      onGone={() => navigate("/routing")}
    />
  );
}
