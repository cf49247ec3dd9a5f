import { useState } from "react";
import { useNavigate } from "react-router";
import type { Plan } from "@/api/client";
import { deleteObject, putObject, useChanges, useLive, useNameable } from "@/api/queries";
import { differences, freeID } from "@/lib/value";
import { DeleteButton } from "@/parts/edit/DeleteButton";
import { SaveBar } from "@/parts/edit/SaveBar";
import { useEdit } from "@/parts/edit/useEdit";
import { fieldLabel } from "@/parts/fields";
import { Beside } from "./Beside";
import { FormBar } from "./FormBar";
import { useKinds } from "./kinds";
import { asTrunk, definitionOf, type Kind, objectsOf, type PlanObject, placeOfNew } from "./model";
import { NewObjectFields } from "./NewObjectFields";
import { useBeside } from "./profile";
import { SectionFields } from "./SectionFields";
import { Special } from "./Special";
import { isLong, type Shown } from "./shown";

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
  const kinds = useKinds();
  const isNew = object.id === "";
  const [idTyped, setIDTyped] = useState(false);
  const [before, setBefore] = useState(() => placeOfNew(kind.field, plan));
  const [show, setShow] = useState<Shown>(isNew ? "all" : "set");
  const [find, setFind] = useState("");
  const edit = useEdit<PlanObject>({
    object,
    isNew,
    definition: definitionOf[kind.field],
    put: ({ is, was }, asked) =>
      putObject(
        kind.field,
        { is: { ...is, name: is.name ?? "" }, was, ...(isNew && before && { before }) },
        asked,
      ),
    onSaved: (saved) => navigate(pathOf(saved.id), { replace: true }),
    onRefused: () => {
      // What is wrong may be in an editor that a narrowed form hides.
      setShow("all");
      setFind("");
    },
  });
  const edited = edit.value;
  const live = useLive().data?.plan[kind.field]?.find((x: PlanObject) => x.id === object.id);
  const differs = useChanges().data?.changes.some((c) => c.kind === kind.kind && c.id === object.id);
  const nameable = useNameable(kind.kind, object.id, "switch" in edited ? edited.switch : edited.id).data;
  const trunk = asTrunk(edited);
  const advice = useBeside(trunk).data?.rows;
  const profile = (trunk?.profile && advice) || [];
  const narrows = isLong(kind);
  const change = (place: string, value: unknown) => {
    edit.set(place, value);
    if (isNew && place === "name" && !idTyped) {
      edit.set("id", freeID(String(value ?? ""), kind.one, objectsOf(plan, kind.field)));
    }
  };
  return (
    <>
      <form
        className="flex min-h-0 flex-col"
        aria-label={isNew ? `New ${kind.one}` : `${kind.one} ${object.name}`}
        {...edit.form}
      >
        <div className="min-h-0 flex-1 overflow-auto px-5 pt-3 pb-6">
          <div className="max-w-3xl">
            <div className="flex items-baseline gap-3">
              <h1 className="min-w-0 text-title font-semibold break-words">
                {edited.name || `New ${kind.one}`}
              </h1>
              {!isNew && <span className="font-mono text-dense text-soft">{object.id}</span>}
            </div>
            {isNew && (
              <NewObjectFields
                plan={plan}
                kind={kind}
                id={edited.id}
                error={edit.at("id")}
                onID={(id) => {
                  setIDTyped(true);
                  edit.set("id", id);
                }}
                before={before}
                onBefore={setBefore}
              />
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
                at={edit.at}
                onChange={change}
              >
                {section.special && (
                  <Special
                    section={section}
                    plan={plan}
                    object={edited}
                    profile={profile}
                    onChange={edit.replace}
                    at={edit.at}
                  />
                )}
              </SectionFields>
            ))}
          </div>
        </div>
        <SaveBar
          edit={edit}
          changed={differences(object, edited).map((place) => fieldLabel(kind, place, kinds))}
          differs={differs}
        >
          {!isNew && (
            <DeleteButton
              remove={() => deleteObject(kind.field, object.id)}
              onGone={() => navigate(pathOf(""))}
            />
          )}
        </SaveBar>
      </form>
      <Beside plan={plan} kind={kind} saved={object} edited={edited} />
    </>
  );
}
