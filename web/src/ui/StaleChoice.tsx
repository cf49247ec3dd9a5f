import { Button } from "./controls";

/** Somebody else changed what is being edited: whose stays. */
export function StaleChoice({ onMine, onTheirs }: { onMine: () => void; onTheirs: () => void }) {
  return (
    <div className="flex gap-2">
      <Button look="danger" onClick={onMine}>
        Overwrite
      </Button>
      <Button onClick={onTheirs}>Load current</Button>
    </div>
  );
}
