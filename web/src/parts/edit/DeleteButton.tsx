import { Trash2 } from "lucide-react";
import { useDraftEdit } from "@/api/queries";
import { Button } from "@/ui/controls";
import { Failure } from "@/ui/feedback";

interface Props {
  /** Takes it out of the draft; the draft's undo brings it back. */
  remove: () => Promise<unknown>;
  onGone?: () => void;
  /** What the button says. */
  word?: string;
  small?: boolean;
}

/** Deletes from the draft. What is named elsewhere is not deleted, and the reason is said here. */
export function DeleteButton({ remove, onGone, word = "Delete", small }: Props) {
  const deletion = useDraftEdit(remove);
  // The object, and this button with it, can be gone before the end is told: so what
  // follows hangs on the promise.
  const run = () =>
    deletion.mutateAsync(undefined).then(
      () => onGone?.(),
      () => undefined, // said beside it
    );
  return (
    <>
      {deletion.isError && <Failure error={deletion.error} />}
      <Button
        look="bare-danger"
        className={small ? "h-7 px-2 text-dense" : "px-2"}
        disabled={deletion.isPending}
        onClick={run}
      >
        <Trash2 className="size-4" aria-hidden="true" /> {word}
      </Button>
    </>
  );
}
