import { DropdownMenu } from "radix-ui";

/** The looks of every menu and of its items. */
export const menuLook =
  "z-30 max-h-96 min-w-44 overflow-auto rounded-[3px] border border-edge bg-sheet p-1 text-ink shadow-lg";
export const itemLook =
  "flex cursor-pointer items-center justify-between gap-4 rounded-[2px] px-2 py-1 outline-none data-disabled:text-soft data-highlighted:bg-road-wash data-[state=open]:bg-road-wash";

interface MenuChoicesProps {
  name: string;
  items: { id: string; name: string }[];
  onChoose: (id: string) => void;
}

/** A submenu in which one of several objects is chosen. */
export function MenuChoices({ name, items, onChoose }: MenuChoicesProps) {
  return (
    <DropdownMenu.Sub>
      <DropdownMenu.SubTrigger className={itemLook} disabled={items.length === 0}>
        {name} <span aria-hidden="true">›</span>
      </DropdownMenu.SubTrigger>
      <DropdownMenu.Portal>
        <DropdownMenu.SubContent className={menuLook}>
          {items.map((i) => (
            <DropdownMenu.Item key={i.id} className={itemLook} onSelect={() => onChoose(i.id)}>
              {i.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.SubContent>
      </DropdownMenu.Portal>
    </DropdownMenu.Sub>
  );
}
