import { Dialog } from "radix-ui";
import { Link, useLocation } from "react-router";
import { Kbd, smallLook } from "@/ui/controls";
import { canOpenStages, type SingleKeys } from "./keys";
import { stages, stopAt } from "./stages";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  single: SingleKeys;
  onSingle: (keys: SingleKeys) => void;
}

/** The stages with their letters, the stops of the present one with their digits, and the other keys. */
export function KeysOverlay({ open, onOpenChange, single, onSingle }: Props) {
  const here = stopAt(useLocation().pathname)?.stage;
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          className="fixed top-[12vh] z-50 left-1/2 w-[40rem] -translate-x-1/2 rounded-[4px] border border-edge bg-sheet p-4 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="mb-2 font-semibold">Stages and keys</Dialog.Title>
          <ul>
            {stages.map((s) => (
              <li
                key={s.name}
                className={`flex items-baseline gap-3 border-t border-line py-1 ${s === here ? "bg-road-wash" : ""}`}
              >
                <span className="w-8 text-right">
                  <Kbd>{s.letter}</Kbd>
                </span>
                <span className="w-20 font-semibold">{s.name}</span>
                <span className="flex flex-wrap gap-x-3">
                  {s.stops.map((stop, i) => (
                    <Link
                      key={stop.path}
                      to={stop.path}
                      onClick={() => onOpenChange(false)}
                      className="text-road underline-offset-2 hover:underline"
                    >
                      {stop.name}
                      {s === here && single.on && (
                        <>
                          {" "}
                          <Kbd>{i + 1}</Kbd>
                        </>
                      )}
                    </Link>
                  ))}
                </span>
              </li>
            ))}
          </ul>
          <p className="border-t border-line pt-2 text-dense text-soft">
            <Kbd>Ctrl K</Kbd> find, <Kbd>F6</Kbd> next region, arrows along stages and stops
          </p>
          <div className="mt-2 flex flex-wrap items-center gap-4">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={single.on}
                onChange={(e) => onSingle({ ...single, on: e.target.checked })}
              />
              Single keys (<Kbd>{single.stages}</Kbd> and digits)
            </label>
            <label className="flex items-center gap-2">
              Key for stages
              <input
                className={`${smallLook} w-8 text-center font-mono`}
                value={single.stages}
                disabled={!single.on}
                maxLength={1}
                onFocus={(e) => e.target.select()}
                onKeyDown={(e) => {
                  if (!canOpenStages(e.key)) return;
                  e.preventDefault();
                  onSingle({ ...single, stages: e.key });
                }}
                onChange={() => undefined}
              />
            </label>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
