import { Popover } from "radix-ui";
import { useRef, useState } from "react";
import type { Group, Permission, Plan } from "@/api/client";
import { WhenEditor } from "@/features/routing/MatchEditor";
import type { PermittedClass } from "@/parts/classes";
import { Button } from "@/ui/controls";
import { type Grant, grantOf, saidOf } from "./classes";
import { GrantMark } from "./GrantMark";

interface Props {
  plan: Plan;
  group: Group;
  of: PermittedClass;
  permission?: Permission;
  /** What most groups have: a cell that differs from it stands out. */
  usual?: Grant;
  busy: boolean;
  onSet: (to: Permission | undefined) => void;
}

/** One class of one group. Space changes it between never and always, Enter opens the calendars. */
export function PermissionCell({ plan, group, of, permission, usual, busy, onSet }: Props) {
  const [open, setOpen] = useState(false);
  const grant = grantOf(permission);
  const said = saidOf(permission, plan);
  const button = useRef<HTMLButtonElement>(null);
  return (
    <>
      <button
        ref={button}
        type="button"
        disabled={busy}
        aria-label={`${group.name}, ${of} calls: ${said}`}
        aria-haspopup="dialog"
        title={`${said}. Space: never or always; Enter: by calendar`}
        onClick={() => setOpen(true)}
        onKeyDown={(e) => {
          if (e.key !== " ") return;
          e.preventDefault();
          onSet(permission ? undefined : { class: of });
        }}
        className={`flex h-7 w-full items-center justify-center gap-1 rounded-[3px] border text-caption hover:border-road ${looks[grant]} ${
          usual && usual !== grant ? "border-current font-semibold" : "border-transparent"
        }`}
      >
        <GrantMark grant={grant} />
        <span className="truncate">{grant === "some" ? permission?.when?.states?.join(", ") : grant}</span>
      </button>
      {/* Of hundreds of cells, one at a time has an editor. */}
      {open && (
        <Popover.Root open onOpenChange={setOpen}>
          <Popover.Anchor virtualRef={button as React.RefObject<HTMLButtonElement>} />
          <Popover.Portal>
            <Popover.Content
              side="bottom"
              className="z-20 w-72 rounded-[4px] border border-edge bg-sheet p-3 shadow-xl"
              collisionPadding={8}
              onCloseAutoFocus={() => button.current?.focus()}
            >
              <CellEditor plan={plan} group={group} of={of} permission={permission} onSet={onSet} />
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </>
  );
}

function CellEditor({
  plan,
  group,
  of,
  permission,
  onSet,
}: Pick<Props, "plan" | "group" | "of" | "permission" | "onSet">) {
  // A calendar of which no state is ticked yet: it says nothing, so it is not written.
  const [begun, setBegun] = useState<string>();
  const when = permission?.when;
  return (
    <>
      <p className="mb-2 font-semibold">
        {group.name}: {of} calls
      </p>
      <div className="mb-2 flex gap-2">
        <Button className="h-7" onClick={() => onSet(undefined)} disabled={!permission}>
          never
        </Button>
        <Button
          className="h-7"
          onClick={() => onSet({ class: of })}
          disabled={grantOf(permission) === "always"}
        >
          always
        </Button>
      </div>
      <WhenEditor
        plan={plan}
        when={begun ? { calendar: begun, states: [] } : when}
        label="or by calendar"
        onChange={(w) => {
          const ticked = !w || (w.states ?? []).length > 0;
          setBegun(ticked ? undefined : w?.calendar);
          if (ticked) onSet({ class: of, ...(w && { when: w }) });
        }}
      />
    </>
  );
}

const looks: Record<Grant, string> = {
  always: "text-category-1",
  some: "bg-category-6-wash text-category-6",
  never: "text-soft",
};
