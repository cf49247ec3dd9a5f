import { Plus, Settings2 } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Plan, Problem, type Table, take } from "@/api/client";
import { useDraftEdit } from "@/api/queries";
import { freeID } from "@/lib/value";
import { DeleteButton } from "@/parts/edit/DeleteButton";
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
  const was = { name: table.name, format: table.format, order: table.order, note: table.note };
  const [edited, setEdited] = useState(was);
  const put = useDraftEdit((body: typeof was) =>
    take(api.PUT("/api/draft/tables/{id}", { params: { path: { id: table.id } }, body: { ...body, was } })),
  );
  const at = (place: string) => (put.error instanceof Problem ? put.error.at(place) : undefined);
  return (
    <Popover.Root
      open={open}
      onOpenChange={(is) => {
        setOpen(is);
        setEdited(was);
        put.reset();
      }}
    >
      <Popover.Trigger asChild>
        <Button look="bare" className="h-7 shrink-0 px-2 text-dense">
          <Settings2 className="size-4" aria-hidden="true" /> Table settings
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="z-20 w-80 rounded-[4px] border border-line bg-sheet p-3 shadow-xl"
          collisionPadding={8}
        >
          <form
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              put.mutate(edited, { onSuccess: () => setOpen(false) });
            }}
          >
            <Field label="Name" error={at("name")}>
              {(p) => (
                <input
                  {...p}
                  className={inputLook}
                  value={edited.name}
                  onChange={(e) => setEdited({ ...edited, name: e.target.value })}
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
                  value={edited.format || "as-dialled"}
                  onChange={(format) => setEdited({ ...edited, format: format as Table["format"] })}
                  options={forms.map(([value, label]) => ({ value, label }))}
                />
              )}
            </Field>
            <Field label="Note" error={at("note")}>
              {(p) => (
                <input
                  {...p}
                  className={inputLook}
                  value={edited.note ?? ""}
                  onChange={(e) => setEdited({ ...edited, note: e.target.value || undefined })}
                />
              )}
            </Field>
            {put.isError && <Failure error={put.error} />}
            <Button type="submit" look="main" disabled={put.isPending}>
              Save to the draft
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
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
