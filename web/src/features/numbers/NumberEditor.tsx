import { X } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, type Plan, type PublicNumber, take } from "@/api/client";
import { useChanges, useNumber, useNumberEffect } from "@/api/queries";
import { differences, isEmpty } from "@/lib/value";
import { DeleteButton } from "@/parts/edit/DeleteButton";
import { SaveBar } from "@/parts/edit/SaveBar";
import { useEdit } from "@/parts/edit/useEdit";
import { fieldLabel } from "@/parts/fields";
import { Landing } from "@/parts/Landing";
import { Field, inputLook } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { Select } from "@/ui/Select";
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
  const edit = useEdit<PublicNumber>({
    object: number,
    isNew: !saved,
    definition: "Number",
    put: ({ is, was }, query) =>
      take(
        api.PUT("/api/draft/numbers", {
          params: { query },
          body: { is: clean(is), was: was && clean(was) },
        }),
      ),
    onSaved: (s) => navigate(`/numbers/${s.id}`, { replace: true }),
  });
  const { value: edited, set, at } = edit;
  const is = clean(edited);
  const differs = useChanges().data?.changes.some((c) => c.kind === "number" && c.id === idOf(number));
  const [member, setMember] = useState("");
  const effect = useNumberEffect({
    is,
    was: saved ? clean(number) : undefined,
    member: member || undefined,
  });
  const takeExtension = (extension: string) => {
    set("extension", extension);
    set("gaps", undefined);
  };
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
            onChange={(e) => set(key, e.target.value)}
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
        <Select
          {...p}
          value={edited[key] ?? ""}
          onChange={(v) => set(key, v)}
          none={empty}
          options={options.map(([value, label]) => ({ value, label }))}
        />
      )}
    </Field>
  );
  const answers = plan.destinations.find((d) => d.id === edited.destination);
  return (
    <form
      aria-label={saved ? `Number ${nameOf(number)}` : "New number"}
      className="flex min-h-0 flex-col border-l border-line bg-sheet"
      {...edit.form}
    >
      <div className="min-h-0 flex-1 overflow-auto px-5 pb-6">
        <div className="flex items-center gap-2 pt-2">
          <h2 className="min-w-0 truncate font-mono text-title font-semibold">
            {is.first ? nameOf(is) : <span className="font-sans">New number or block</span>}
          </h2>
          {is.last && sizeOf(is) > 0 && <span className="text-dense text-soft">{sizeOf(is)} numbers</span>}
          <Link to="/numbers" className="ml-auto p-1" aria-label="Close">
            <X className="size-4" />
          </Link>
        </div>
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
                onChange={(e) => set("gaps", e.target.checked || undefined)}
              />
              gaps allowed: missing extensions reach the last-resort destination
            </label>
          )}
        </div>
        {effect.isError && <Failure error={effect.error} />}
        {effect.data && is.first !== "" && (
          <>
            <Landing effect={effect.data} size={sizeOf(is)} onTake={takeExtension} />
            {is.last && is.destination && !answers?.number && (
              <MappingByDigits plan={plan} number={is} onTake={takeExtension} />
            )}
            <InboundResults
              effect={effect.data}
              number={is}
              member={member}
              onMember={setMember}
              plan={plan}
            />
          </>
        )}
      </div>
      <SaveBar
        edit={edit}
        changed={differences(clean(number), is).map((place) => fieldLabel({ kind: "number" }, place, []))}
        differs={differs}
      >
        {saved && (
          <DeleteButton
            remove={() =>
              take(api.DELETE("/api/draft/numbers/{id}", { params: { path: { id: idOf(number) } } }))
            }
            onGone={() => navigate("/numbers")}
          />
        )}
      </SaveBar>
    </form>
  );
}

/** The id of a row: its digits and, of a block, those of its last number. */
function idOf(n: PublicNumber): string {
  const bare = (text: string) => text.replace(/[^0-9]/g, "");
  return n.last ? `${bare(n.first)}-${bare(n.last)}` : bare(n.first);
}
