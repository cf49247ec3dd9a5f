import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Save, Trash2 } from "lucide-react";
import { type Dispatch, type SetStateAction, useState } from "react";
import { Link, useNavigate } from "react-router";
import { type ObjectSaved, type Plan, Problem } from "@/api/client";
import { keys } from "@/api/keys";
import {
  deleteObject,
  numbersQuery,
  putObject,
  useChanges,
  useDraftEdit,
  useLive,
  useNameable,
} from "@/api/queries";
import { placeInWords } from "@/lib/places";
import { freeID, put, rebase, same } from "@/lib/value";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StaleChoice } from "@/ui/StaleChoice";
import { StateMark } from "@/ui/StateMark";
import { AccountsEditor } from "./AccountsEditor";
import { ChoicesEditor } from "./ChoicesEditor";
import { ContractEditor } from "./ContractEditor";
import { DatesEditor } from "./DatesEditor";
import { FormBar } from "./FormBar";
import { MonthPreview } from "./MonthPreview";
import { type Kind, objectsOf, type PlanObject, placeOfNew, type Section } from "./model";
import { ProfileChoice } from "./ProfileChoice";
import { type Advice, useBeside } from "./profile";
import { Secrets } from "./Secrets";
import { SectionFields } from "./SectionFields";
import { isLong, type Shown } from "./shown";
import { TargetsEditor } from "./TargetsEditor";
import { Users } from "./Users";
import { WeekEditor } from "./WeekEditor";
import { WirePreview } from "./WirePreview";

interface Props {
  plan: Plan;
  kind: Kind;
  /** As it stands in the draft; without an id it is new. */
  object: PlanObject;
  /** Where an object is shown after a save; without an id, where its kind is. */
  pathOf?: (id: string) => string;
}

/** The plain list of a kind. */
const inPlan = (kind: Kind) => (id: string) => (id ? `/plan/${kind.field}/${id}` : `/plan/${kind.field}`);

/** Edits one object of the draft, with what is live, who uses it and what a save broke beside it. */
export function ObjectEditor({ plan, kind, object, pathOf = inPlan(kind) }: Props) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [edited, setEdited] = useState(object);
  // The object as this edit found it: a save that finds another is refused.
  const [was, setWas] = useState(object);
  const [idTyped, setIDTyped] = useState(false);
  const [before, setBefore] = useState(() => placeOfNew(kind.field, plan));
  const isNew = object.id === "";
  const narrows = isLong(kind);
  const [show, setShow] = useState<Shown>(isNew ? "all" : "set");
  const [find, setFind] = useState("");
  const live = useLive().data?.plan[kind.field]?.find((x: PlanObject) => x.id === object.id);
  const save = useDraftEdit((body: { is: PlanObject; was?: PlanObject; before?: string }) =>
    putObject(kind.field, body),
  );
  const remove = useDraftEdit(() => deleteObject(kind.field, object.id));
  const stale = save.error instanceof Problem && save.error.status === 409 && !isNew;
  const dirty = !same(edited, object);
  const at = (place: string) => (save.error instanceof Problem ? save.error.at(place) : undefined);
  const trunk = asTrunk(edited);
  const nameable = useNameable(kind.kind, object.id, "switch" in edited ? edited.switch : edited.id).data;
  const saved = asTrunk(object);
  const rows = useBeside(trunk).data?.rows;
  const profile = (trunk?.profile && rows) || [];
  const change = (place: string, value: unknown) =>
    setEdited((o) => {
      const next = put(o, place, value);
      return isNew && place === "name" && !idTyped
        ? { ...next, id: freeID(next.name ?? "", kind.one, objectsOf(plan, kind.field)) }
        : next;
    });
  const submit = (found: PlanObject) =>
    save.mutate(
      {
        is: { ...edited, name: edited.name ?? "" },
        was: found.id ? found : undefined,
        ...(isNew && before && { before }),
      },
      {
        onSuccess: (saved) => {
          setWas(edited);
          navigate(pathOf(saved.id), { replace: true });
        },
        onError: () => {
          // What is wrong may be in an editor that a narrowed form hides.
          setShow("all");
          setFind("");
          queries.invalidateQueries({ queryKey: keys.draft });
        },
      },
    );
  // The object is gone from the draft, and this editor with it, before it is told: so
  // what follows hangs on the promise.
  const takeOut = () =>
    remove.mutateAsync(undefined).then(
      () => navigate(pathOf("")),
      () => undefined, // said beside the button
    );
  return (
    <>
      <form
        className="overflow-auto px-5 pt-3 pb-6"
        aria-label={isNew ? `New ${kind.one}` : `${kind.one} ${object.name}`}
        onSubmit={(e) => {
          e.preventDefault();
          submit(was);
        }}
        onKeyDown={(e) => {
          if (e.key === "s" && e.ctrlKey) {
            e.preventDefault();
            submit(was);
          }
        }}
      >
        <div className="max-w-3xl">
          <div className="flex items-baseline gap-3">
            <h1 className="min-w-0 text-title font-semibold break-words">
              {edited.name || `New ${kind.one}`}
            </h1>
            {!isNew && <span className="font-mono text-dense text-soft">{object.id}</span>}
          </div>
          {isNew && (
            <div className="mt-2 grid grid-cols-2 gap-x-5">
              <Field label="Id" error={at("id")} hint="identifier in plan files; it cannot change">
                {(p) => (
                  <input
                    {...p}
                    className={`${inputLook} font-mono`}
                    value={edited.id}
                    onChange={(e) => {
                      setIDTyped(true);
                      setEdited((o) => ({ ...o, id: e.target.value }));
                    }}
                    required
                  />
                )}
              </Field>
              {kind.ordered && (
                <Field label="Place" hint={kind.ordered}>
                  {(p) => (
                    <select
                      {...p}
                      className={inputLook}
                      value={before}
                      onChange={(e) => setBefore(e.target.value)}
                    >
                      {objectsOf(plan, kind.field).map((x) => (
                        <option key={x.id} value={x.id}>
                          before {x.name}
                        </option>
                      ))}
                      <option value="">last</option>
                    </select>
                  )}
                </Field>
              )}
            </div>
          )}
          {narrows && (
            <FormBar sections={kind.sections} find={find} onFind={setFind} show={show} onShow={setShow} />
          )}
          {kind.sections.map((section) => (
            <SectionFields
              key={section.title}
              section={section}
              edited={edited}
              saved={object}
              live={live}
              profile={profile}
              nameable={nameable}
              show={narrows ? show : "all"}
              find={narrows ? find : ""}
              at={at}
              onChange={change}
            >
              {section.special && (
                <Special
                  section={section}
                  plan={plan}
                  object={edited}
                  profile={profile}
                  onChange={setEdited}
                  at={at}
                />
              )}
            </SectionFields>
          ))}
        </div>
      </form>
      <aside
        className="flex flex-col gap-4 overflow-auto border-l border-line bg-sheet p-4"
        aria-label="Save and consequences"
      >
        <div className="flex flex-wrap items-center gap-2">
          <Button look="main" disabled={!dirty || save.isPending} title="Ctrl S" onClick={() => submit(was)}>
            <Save className="size-4" aria-hidden="true" /> Save to the draft
          </Button>
          {!isNew && (
            <Button look="bare-danger" disabled={remove.isPending} onClick={takeOut}>
              <Trash2 className="size-4" aria-hidden="true" /> Delete
            </Button>
          )}
          <SaveState dirty={dirty} kind={kind} id={object.id} />
        </div>
        {save.isError && <Failure error={save.error} />}
        {stale && (
          <StaleChoice
            onMine={() => submit(object)}
            onTheirs={() => {
              setEdited(object);
              setWas(object);
              save.reset();
            }}
          />
        )}
        {remove.isError && <Failure error={remove.error} />}
        {save.data && !dirty && <Elsewhere saved={save.data} plan={plan} />}
        {!isNew && <Users kind={kind} id={object.id} plan={plan} />}
        {!isNew && kind.field === "destinations" && <AnsweredNumbers destination={object.id} />}
        {kind.field === "trunks" && live && (
          <Link to={`/trunks/${object.id}`} className="text-road underline-offset-2 hover:underline">
            Live state
          </Link>
        )}
        {!isNew && saved && (
          <Secrets
            trunk={saved.id}
            accounts={
              (saved.link.sip?.inboundAccounts?.length ?? 0) + (saved.link.sip?.outboundAccounts?.length ?? 0)
            }
          />
        )}
        {trunk && saved && <WirePreview edited={trunk} saved={saved} />}
      </aside>
    </>
  );
}

function SaveState({ dirty, kind, id }: { dirty: boolean; kind: Kind; id: string }) {
  const differs = useChanges().data?.changes.some((c) => c.kind === kind.kind && c.id === id);
  if (dirty) return <StateMark tone="draft" word="not saved" />;
  if (!differs) return null;
  return (
    <Link to="/changes" className="text-road underline-offset-2 hover:underline">
      <StateMark tone="good" word="saved, not live yet" />
    </Link>
  );
}

interface SpecialProps {
  section: Section;
  plan: Plan;
  object: PlanObject;
  profile: Advice[];
  onChange: Dispatch<SetStateAction<PlanObject>>;
  at: (place: string) => string | undefined;
}

/** The object as a trunk, if it is one. */
const asTrunk = (o: PlanObject) => ("link" in o ? (o as Plan["trunks"][number]) : undefined);

/** What one line for a setting cannot show. */
function Special({ section, plan, object, profile, onChange, at }: SpecialProps) {
  const trunk = asTrunk(object);
  const sip = trunk?.link.sip;
  if (section.special === "profile" && trunk) {
    return (
      <ProfileChoice
        trunk={trunk}
        rows={profile}
        // What was typed while the profile was on its way is kept.
        onFilled={(filled, asked) => onChange((now) => rebase<PlanObject>(asked, filled, now))}
      />
    );
  }
  if (section.special === "accounts" && trunk && sip) {
    return (
      <AccountsEditor
        sip={sip}
        profile={profile}
        onChange={(changed) => onChange({ ...trunk, link: { sip: changed } })}
        at={at}
      />
    );
  }
  if (section.special === "targets" && trunk && sip) {
    return (
      <TargetsEditor
        sip={sip}
        profile={profile.find((r) => r.place === "link/sip/targets")}
        onChange={(changed) => onChange({ ...trunk, link: { sip: changed } })}
        error={at("link/sip/targets")}
      />
    );
  }
  if (section.special === "contract" && trunk) {
    return <ContractEditor trunk={trunk} profile={profile} onChange={onChange} />;
  }
  if (section.special === "choices" && "choices" in object) {
    return (
      <ChoicesEditor
        plan={plan}
        path={object}
        onChange={(choices) => onChange({ ...object, choices })}
        error={at("choices")}
      />
    );
  }
  if (section.special === "week" && "week" in object) {
    return <WeekEditor hours={object} onChange={onChange} at={at} />;
  }
  if (section.special === "dates" && "week" in object) {
    return <DatesEditor hours={object} plan={plan} onChange={onChange} at={at} />;
  }
  if (section.special === "month" && "week" in object) {
    return <MonthPreview hours={object} plan={plan} />;
  }
  return null;
}

/** What is wrong in other objects since the save. */
function Elsewhere({ saved, plan }: { saved: ObjectSaved; plan: Plan }) {
  if (saved.elsewhere.length === 0) return null;
  return (
    <div role="alert" className="rounded-[3px] border border-bad bg-bad-wash p-3">
      <StateMark tone="bad" word="Saved; other objects now have errors" />
      <ul className="mt-1 list-disc pl-5">
        {saved.elsewhere.map((p) => (
          <li key={p.place + p.reason} className="break-words">
            <span className="font-semibold">{placeInWords(p.place, plan)}</span>: {p.reason}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** How many public numbers a destination answers. */
function AnsweredNumbers({ destination }: { destination: string }) {
  const found = useQuery(numbersQuery({ destination, limit: 1 })).data?.found;
  if (!found) return null;
  return (
    <Link to="/numbers" className="text-road underline-offset-2 hover:underline">
      answers {found} {found === 1 ? "row" : "rows"} of public numbers
    </Link>
  );
}

/** Who names the object. */
