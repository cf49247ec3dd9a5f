import { Save } from "lucide-react";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { type PlanProblem, Problem } from "@/api/client";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { BrokenObjects } from "./BrokenObjects";
import type { Edit } from "./useEdit";

interface Props<T> {
  edit: Edit<T>;
  /** The fields that differ from what stands in the draft, in words. */
  changed: string[];
  /** The draft differs from live in this object. */
  differs?: boolean;
  /** What breaks beside what the try of the save says. */
  breaks?: PlanProblem[];
  /** Further things to do with the object, such as to delete it. */
  children?: ReactNode;
}

/** How many changed fields are named. */
const most = 3;

/** At the foot of every editor: what changed, what a save breaks, and the way on. */
export function SaveBar<T>({ edit, changed, differs, breaks = edit.breaks, children }: Props<T>) {
  const { dirty, saved } = edit;
  const elsewhere = dirty ? breaks : saved?.elsewhere;
  return (
    <section
      aria-label="Save"
      className="flex max-h-[50%] shrink-0 flex-col gap-2 overflow-auto border-t border-edge bg-sunk px-4 py-2"
    >
      {edit.error && !onlyInPlace(edit) && <Failure error={edit.error} />}
      {elsewhere && elsewhere.length > 0 && (
        <BrokenObjects
          problems={elsewhere}
          word={
            dirty
              ? `breaks ${elsewhere.length === 1 ? "1 other object" : `${elsewhere.length} other objects`}`
              : "Saved; other objects now have errors"
          }
        />
      )}
      {edit.conflict && (
        <div className="flex items-center gap-2">
          <span>Changed by another meanwhile</span>
          <Button look="danger" onClick={edit.conflict.mine}>
            Overwrite
          </Button>
          <Button onClick={edit.conflict.theirs}>Load current</Button>
        </div>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Button type="submit" look="main" disabled={!dirty || edit.saving} title="Ctrl S">
          <Save className="size-4" aria-hidden="true" /> Save to the draft
        </Button>
        {dirty && !edit.isNew && <Button onClick={edit.discard}>Discard</Button>}
        <span className="min-w-0 flex-1">
          <Standing dirty={dirty} changed={changed} differs={differs} />
        </span>
        {children}
      </div>
    </section>
  );
}

/** Whether each thing that is wrong is said at its field already. */
const onlyInPlace = <T,>({ error, at }: Edit<T>) =>
  error instanceof Problem && error.places.length > 0 && error.places.every((p) => p.at && at(p.at));

function Standing({ dirty, changed, differs }: { dirty: boolean; changed: string[]; differs?: boolean }) {
  if (dirty) {
    const named = changed.slice(0, most).join(", ");
    const rest = changed.length - most;
    const word = named && `: ${named}${rest > 0 ? ` and ${rest} more` : ""}`;
    return <StateMark tone="draft" word={`not saved${word}`} title={changed.join(", ")} />;
  }
  if (!differs) return null;
  return (
    <Link to="/changes" className="text-road underline-offset-2 hover:underline">
      <StateMark tone="draft" word="saved, not live yet" />
    </Link>
  );
}
