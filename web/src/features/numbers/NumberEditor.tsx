import { Save, Trash2, X } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, type Plan, Problem, type PublicNumber, take } from "@/api/client";
import { useDraftEdit, useNumber, useNumberEffect } from "@/api/queries";
import { isEmpty, same } from "@/lib/value";
import { Landing } from "@/parts/Landing";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { InboundResults } from "./InboundResults";
import { MappingByDigits } from "./MappingByDigits";
import { meaning, nameOf, sizeOf, states } from "./words";

/** One row of the inventory, with what becomes of its numbers beside it. */
export function NumberEditor({ id, plan }: { id: string; plan: Plan }) {
  const [search] = useSearchParams();
  const row = useNumber(id);
  if (id === "new") {
    const first = search.get("first") ?? "";
    const carrier = search.get("carrier") || undefined;
    return <Editor key={first} plan={plan} number={{ first, state: "active", carrier }} />;
  }
  if (row.isPending) return <Loading what="the number" />;
  if (!row.data) return <Failure error={row.error} retry={() => row.refetch()} />;
  return <Editor plan={plan} number={row.data.number} saved />;
}

interface Props {
  plan: Plan;
  number: PublicNumber;
  /** It stands in the draft. */
  saved?: boolean;
}

/** What is empty is left out, as in a plan document. */
const clean = (n: PublicNumber) =>
  Object.fromEntries(
    Object.entries(n).filter(([, v]) => !isEmpty(v) && v !== false),
  ) as unknown as PublicNumber;

function Editor({ plan, number, saved }: Props) {
  const navigate = useNavigate();
  const [edited, setEdited] = useState(number);
  const [was, setWas] = useState(number);
  const is = clean(edited);
  const save = useDraftEdit((body: { is: PublicNumber; was?: PublicNumber }) =>
    take(api.PUT("/api/draft/numbers", { body })),
  );
  const remove = useDraftEdit(() =>
    take(api.DELETE("/api/draft/numbers/{id}", { params: { path: { id: idOf(was) } } })),
  );
  const [member, setMember] = useState("");
  const effect = useNumberEffect({ is, was: saved ? clean(was) : undefined, member: member || undefined });
  const problems = effect.data?.problems ?? [];
  const at = (field: string) =>
    (save.error instanceof Problem ? save.error.at(field) : undefined) ??
    (effect.isPlaceholderData || is.first === ""
      ? undefined
      : problems
          .filter((p) => p.place === field)
          .map((p) => p.reason)
          .join("; ") || undefined);
  const dirty = !same(clean(number), is) || !saved;
  const submit = () =>
    save.mutate(
      { is, was: saved ? clean(was) : undefined },
      {
        onSuccess: (s) => {
          setWas(is);
          navigate(`/numbers/${s.id}`, { replace: true });
        },
      },
    );
  const set = (change: Partial<PublicNumber>) => setEdited((n) => ({ ...n, ...change }));
  const text = (
    label: string,
    key:
      | "first"
      | "last"
      | "site"
      | "owner"
      | "extension"
      | "forwardOnBusy"
      | "namePrefix"
      | "alertInfo"
      | "note",
    rest: { hint?: string; mono?: boolean; placeholder?: string; wide?: boolean } = {},
  ) => (
    <div className={rest.wide ? "col-span-2" : ""}>
      <Field label={label} error={at(key)} hint={rest.hint}>
        {(p) => (
          <input
            {...p}
            className={`${inputLook} ${rest.mono ? "font-mono" : ""}`}
            value={edited[key] ?? ""}
            placeholder={rest.placeholder}
            spellCheck={false}
            onChange={(e) => set({ [key]: e.target.value })}
          />
        )}
      </Field>
    </div>
  );
  const choose = (
    label: string,
    key: "state" | "carrier" | "destination",
    options: (readonly [string, string])[],
    empty?: string,
    hint?: string,
  ) => (
    <Field label={label} error={at(key)} hint={hint}>
      {(p) => (
        <select
          {...p}
          className={inputLook}
          value={edited[key] ?? ""}
          onChange={(e) => set({ [key]: e.target.value as never })}
        >
          {empty && <option value="">{empty}</option>}
          {options.map(([v, word]) => (
            <option key={v} value={v}>
              {word}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const answers = plan.destinations.find((d) => d.id === edited.destination);
  return (
    <form
      aria-label={saved ? `Number ${nameOf(number)}` : "New number"}
      className="overflow-auto border-l border-line bg-sheet px-5 pb-8"
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
      onKeyDown={(e) => {
        if (e.key === "s" && e.ctrlKey) {
          e.preventDefault();
          submit();
        }
      }}
    >
      <div className="sticky top-0 z-[1] -mx-5 flex items-center gap-2 border-b border-line bg-sheet px-5 py-1">
        <h2 className="min-w-0 truncate font-mono text-title font-semibold">
          {is.first ? nameOf(is) : <span className="font-sans">New number or block</span>}
        </h2>
        {is.last && sizeOf(is) > 0 && <span className="text-dense text-soft">{sizeOf(is)} numbers</span>}
        <span className="ml-auto flex items-center gap-1">
          {dirty && saved && <StateMark tone="draft" word="not saved" />}
          <Button type="submit" look="main" disabled={!dirty || save.isPending} title="Ctrl S">
            <Save className="size-4" aria-hidden="true" /> Save to the draft
          </Button>
          {saved && (
            <Button
              look="bare-danger"
              className="px-2"
              disabled={remove.isPending}
              aria-label="Delete"
              title="Delete from the draft"
              onClick={() =>
                remove.mutateAsync(undefined).then(
                  () => navigate("/numbers"),
                  () => undefined,
                )
              }
            >
              <Trash2 className="size-4" />
            </Button>
          )}
          <Link to="/numbers" className="p-1" aria-label="Close">
            <X className="size-4" />
          </Link>
        </span>
      </div>
      {save.isError && !(save.error instanceof Problem && save.error.places.length > 0) && (
        <Failure error={save.error} />
      )}
      {remove.isError && <Failure error={remove.error} />}
      <div className="mt-2 grid grid-cols-2 gap-x-5 gap-y-1">
        {text("First number", "first", {
          mono: true,
          hint: "E.164: +, country code",
        })}
        {text("Last number", "last", { mono: true, hint: "empty for a single number" })}
        {choose(
          "State",
          "state",
          states.map((s) => [s, s] as const),
          undefined,
          meaning[edited.state],
        )}
        {choose(
          "Carrier",
          "carrier",
          plan.farEnds.map((f) => [f.id, f.name] as const),
          "unknown",
        )}
        {choose(
          "Destination",
          "destination",
          plan.destinations.map((d) => [d.id, d.name] as const),
          "none",
          answers?.numberPattern ? `its numbers: ${answers.numberPattern}` : undefined,
        )}
        {answers?.number
          ? text("Extension", "extension", { mono: true, hint: `${answers.name} is ${answers.number}` })
          : text(is.last ? "First extension" : "Extension", "extension", {
              mono: true,
              hint: is.last ? "the others follow by arithmetic" : "empty: the number itself",
            })}
        {text("Forward on busy", "forwardOnBusy", {
          mono: true,
          hint: "dialled by the extension, with its permissions",
        })}
        {text("Caller-name prefix", "namePrefix", { hint: "overrides the trunk's" })}
        {text("Ring", "alertInfo", {
          mono: true,
          placeholder: "<urn:alert:source:external>",
          hint: "overrides the trunk's",
        })}
        {text("Owner", "owner")}
        {text("Site", "site")}
        {text("Note", "note", {})}
        {(is.last || is.gaps) && (
          <label className="col-span-2 flex items-center gap-2 text-dense">
            <input
              type="checkbox"
              checked={edited.gaps ?? false}
              onChange={(e) => set({ gaps: e.target.checked })}
            />
            gaps allowed: missing extensions reach the last-resort destination
          </label>
        )}
      </div>
      {effect.isError && <Failure error={effect.error} />}
      {effect.data && is.first !== "" && (
        <>
          <Landing
            effect={effect.data}
            size={sizeOf(is)}
            onTake={(extension) => set({ extension, gaps: undefined })}
          />
          {is.last && is.destination && !answers?.number && (
            <MappingByDigits
              plan={plan}
              number={is}
              onTake={(extension) => set({ extension, gaps: undefined })}
            />
          )}
          <InboundResults effect={effect.data} number={is} member={member} onMember={setMember} plan={plan} />
        </>
      )}
    </form>
  );
}

/** The id of a row: its digits and, of a block, those of its last number. */
function idOf(n: PublicNumber): string {
  const bare = (text: string) => text.replace(/[^0-9]/g, "");
  return n.last ? `${bare(n.first)}-${bare(n.last)}` : bare(n.first);
}
