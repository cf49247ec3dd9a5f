import { MoreHorizontal } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import type { Group } from "@/api/client";
import { classes } from "@/parts/classes";
import { itemLook, MenuChoices, menuLook } from "@/ui/Menu";

interface Props {
  group: Group;
  groups: Group[];
  onSet: (permissions: Group["permissions"]) => void;
}

const look = "grid size-7 place-items-center rounded-[3px] text-soft hover:bg-road-wash hover:text-ink";

/** What is done with all classes of a group at once. */
export function RowMenu({ group, groups, onSet }: Props) {
  // Of hundreds of rows, those whose button was pressed have a menu.
  const [used, setUsed] = useState(false);
  const label = `All classes of ${group.name}`;
  const dots = <MoreHorizontal className="size-4" aria-hidden="true" />;
  if (!used) {
    return (
      <button
        type="button"
        aria-haspopup="menu"
        aria-label={label}
        className={look}
        onClick={() => setUsed(true)}
      >
        {dots}
      </button>
    );
  }
  const others = groups.filter((g) => g.id !== group.id);
  return (
    <DropdownMenu.Root defaultOpen>
      <DropdownMenu.Trigger className={look} aria-label={label}>
        {dots}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className={menuLook}>
          <DropdownMenu.Item className={itemLook} onSelect={() => onSet(classes.map((c) => ({ class: c })))}>
            Permit all classes
          </DropdownMenu.Item>
          <DropdownMenu.Item className={itemLook} onSelect={() => onSet([])}>
            Deny all classes
          </DropdownMenu.Item>
          <MenuChoices
            name="Copy permissions from"
            items={others}
            onChoose={(id) => onSet(others.find((g) => g.id === id)?.permissions ?? [])}
          />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
