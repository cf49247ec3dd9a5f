import { useDraft } from "@/api/queries";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { useKinds } from "./kinds";
import { objectsOf } from "./model";
import { ObjectEditor } from "./ObjectEditor";

interface Props {
  kind: string;
  id: string;
  /** Where an object is shown after a save, and where one goes when it is deleted. */
  pathOf: (id: string) => string;
}

/** The editor of one object of the draft, within the object's page. */
export function EditObject({ kind: field, id, pathOf }: Props) {
  const draft = useDraft();
  const kind = useKinds().find((k) => k.field === field);
  if (draft.isPending || !kind) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  const object = objectsOf(draft.data.plan, kind.field).find((o) => o.id === id);
  if (!object) return <Empty>The draft deletes this {kind.one}.</Empty>;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_20rem]">
      <ObjectEditor key={id} plan={draft.data.plan} kind={kind} object={object} pathOf={pathOf} />
    </div>
  );
}
