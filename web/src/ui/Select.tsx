import { Command } from "cmdk";
import { ChevronDown } from "lucide-react";
import { Popover } from "radix-ui";
import { type ComponentProps, useState } from "react";
import { inputLook, smallLook } from "./controls";

export interface Option {
  value: string;
  label: string;
  /** Options with the same group stand together under it. */
  group?: string;
}

interface Props
  extends Pick<ComponentProps<"select">, "id" | "className" | "disabled" | "required" | "aria-label"> {
  value: string;
  onChange: (value: string) => void;
  options: readonly Option[];
  /** The word for no value; without it a value has to be chosen. */
  none?: string;
  /** In a line of others, as wide as what it shows. */
  small?: boolean;
  "aria-invalid"?: boolean;
  "aria-describedby"?: string;
}

/** From how many options on a list is searched. */
const many = 20;

/**
 * A choice of one among several. A short list is the browser's own; a long one opens with a
 * search. A value that is no option is shown as missing, never dropped.
 */
export function Select({ value, onChange, options, none, small, className = "", ...rest }: Props) {
  const known = value === "" || options.some((o) => o.value === value);
  const all = [
    ...(none !== undefined || value === "" ? [{ value: "", label: none ?? "choose one" }] : []),
    ...(known ? [] : [{ value, label: `${value}, missing` }]),
    ...options,
  ];
  const look = `${small ? smallLook : inputLook} ${className}`;
  if (all.length > many) {
    return <SearchSelect {...rest} look={look} value={value} onChange={onChange} options={all} />;
  }
  return (
    <select {...rest} className={look} value={value} onChange={(e) => onChange(e.target.value)}>
      {grouped(all).map(({ group, options }) => {
        const list = options.map((o) => (
          <option key={o.value} value={o.value} disabled={o.value === "" && none === undefined}>
            {o.label}
          </option>
        ));
        return group ? (
          <optgroup key={group} label={group}>
            {list}
          </optgroup>
        ) : (
          list
        );
      })}
    </select>
  );
}

interface SearchProps extends Omit<Props, "none" | "small" | "className" | "required"> {
  look: string;
}

/** A long list: a button that says the choice, and opens the list with a search. */
function SearchSelect({ look, value, onChange, options, ...rest }: SearchProps) {
  const [open, setOpen] = useState(false);
  const [search, setSearch] = useState("");
  const found = options.filter((o) => o.label.toLowerCase().includes(search.toLowerCase()));
  const turn = (is: boolean) => {
    setSearch("");
    setOpen(is);
  };
  return (
    <Popover.Root open={open} onOpenChange={turn}>
      <Popover.Trigger asChild>
        <button
          type="button"
          {...rest}
          onKeyDown={(e) => {
            // As in the browser's own list, typing begins to look for an option.
            if (e.key.length !== 1 || e.key === " " || e.ctrlKey || e.altKey || e.metaKey) return;
            e.preventDefault();
            setSearch(e.key);
            setOpen(true);
          }}
          className={`${look} inline-flex items-center justify-between gap-2 text-left disabled:opacity-50`}
        >
          <span className="truncate">{options.find((o) => o.value === value)?.label}</span>
          <ChevronDown className="size-4 shrink-0" aria-hidden="true" />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          collisionPadding={8}
          className="z-30 w-72 rounded-[3px] border border-edge bg-sheet text-ink shadow-lg"
        >
          <Command label={rest["aria-label"] ?? "Choices"} shouldFilter={false}>
            <Command.Input
              placeholder="Search"
              value={search}
              onValueChange={setSearch}
              className="h-8 w-full border-b border-line bg-sheet px-2"
              autoFocus
            />
            <Command.List className="max-h-72 overflow-auto p-1">
              <Command.Empty className="px-2 py-1 text-soft">no match</Command.Empty>
              {grouped(found).map(({ group, options }) => (
                <Command.Group
                  key={group}
                  heading={group}
                  className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:text-dense [&_[cmdk-group-heading]]:text-soft"
                >
                  {options.map((o) => (
                    <Command.Item
                      key={o.value}
                      value={`=${o.value}`}
                      onSelect={() => {
                        turn(false);
                        onChange(o.value);
                      }}
                      className={`cursor-pointer rounded-[2px] px-2 py-1 data-[selected=true]:bg-road-wash ${o.value === value ? "font-semibold" : ""}`}
                    >
                      {o.label}
                    </Command.Item>
                  ))}
                </Command.Group>
              ))}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** The options in groups, in the order in which they stand; those without a group come in one of their own. */
function grouped(options: readonly Option[]): { group: string; options: Option[] }[] {
  const out: { group: string; options: Option[] }[] = [];
  for (const o of options) {
    const group = o.group ?? "";
    const at = out.find((g) => g.group === group);
    if (at) at.options.push(o);
    else out.push({ group, options: [o] });
  }
  return out;
}

/** Objects as options: their ids stand for them, their names are read. */
export const named = (objects: readonly { id: string; name: string }[], group?: string): Option[] =>
  objects.map((o) => ({ value: o.id, label: o.name, ...(group && { group }) }));

/** Words that are their own values. */
export const words = (list: readonly string[]): Option[] => list.map((w) => ({ value: w, label: w }));
