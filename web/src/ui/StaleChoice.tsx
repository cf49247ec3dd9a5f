import { Button } from "./controls";

/** Somebody else changed what is being edited: whose stays. */
export function StaleChoice({ onMine, onTheirs }: { onMine: () => void; onTheirs: () => void }) {
  return (
    <div className="flex gap-2">
      <Button look="danger" onClick={onMine}>
        Save mine over theirs
      </Button>
      <Button onClick={onTheirs}>Take theirs</Button>
    </div>
  );
}
