import { Columns3, Download } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { csv, download } from "@/lib/csv";
import { Button, smallLook } from "./controls";
import type { Column } from "./DataTable";

interface Props<T> {
  name: string;
  columns: Column<T>[];
  hidden: string[];
  onHidden: (hidden: string[]) => void;
  /** Undefined where the server searches. */
  search?: string;
  onSearch: (text: string) => void;
  searchServed?: ReactNode;
  csvServed?: string;
  shown: T[];
  all: number;
  exhausted: boolean;
  chosen: number;
  bulk?: ReactNode;
  children?: ReactNode;
}

/** What stands over a table: filters, search, how many rows, columns and the file; or what is done with chosen rows. */
export function TableBar<T>(props: Props<T>) {
  const { columns, hidden, shown, all, search, exhausted } = props;
  const save = () => {
    const out = columns.filter((c) => c.text && !hidden.includes(c.id));
    download(
      `${props.name}.csv`,
      csv(
        out.map((c) => c.title ?? c.head),
        shown.map((row) => out.map((c) => c.text?.(row) ?? "")),
      ),
    );
  };
  const count = `${shown.length.toLocaleString("en-GB")}${exhausted ? "" : "+"}`;
  return (
    <div className="flex min-h-10 flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-4 py-1">
      {props.children}
      {search === undefined ? (
        props.searchServed
      ) : (
        <input
          type="search"
          className={`${smallLook} w-48 px-2`}
          value={search}
          onChange={(e) => props.onSearch(e.target.value)}
          placeholder="Find in table"
          aria-label="Find in table"
        />
      )}
      {props.bulk && (
        <span className="flex items-center gap-2 border-l border-line pl-3">
          <span className="font-semibold">{props.chosen} selected</span>
          {props.bulk}
        </span>
      )}
      <span className="ml-auto flex items-center gap-1">
        <span className="mr-2 text-dense whitespace-nowrap text-soft" role="status">
          {shown.length === all ? count : `${count} of ${all.toLocaleString("en-GB")}`}
        </span>
        <ColumnChoice columns={columns} hidden={hidden} onHidden={props.onHidden} />
        {props.csvServed ? (
          <a
            href={props.csvServed}
            download
            title="Save as CSV"
            aria-label="Save as CSV"
            className="inline-flex h-7 items-center rounded-[3px] px-2 hover:bg-road-wash"
          >
            <Download className="size-4" aria-hidden="true" />
          </a>
        ) : (
          <Button
            look="bare"
            className="h-7 px-2"
            onClick={save}
            title="Save as CSV"
            aria-label="Save as CSV"
          >
            <Download className="size-4" aria-hidden="true" />
          </Button>
        )}
      </span>
    </div>
  );
}

function ColumnChoice<T>({
  columns,
  hidden,
  onHidden,
}: {
  columns: Column<T>[];
  hidden: string[];
  onHidden: (hidden: string[]) => void;
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button look="bare" className="h-7 px-2" title="Columns" aria-label="Columns">
          <Columns3 className="size-4" aria-hidden="true" />
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-30 min-w-40 rounded-[3px] border border-edge bg-sheet p-1 text-ink shadow-lg"
        >
          {columns.map((c, i) => (
            <DropdownMenu.CheckboxItem
              key={c.id}
              disabled={i === 0}
              checked={!hidden.includes(c.id)}
              onCheckedChange={(on) => onHidden(on ? hidden.filter((id) => id !== c.id) : [...hidden, c.id])}
              onSelect={(e) => e.preventDefault()}
              className="flex cursor-pointer items-center gap-2 rounded-[2px] px-2 py-1 outline-none data-disabled:cursor-default data-disabled:text-soft data-highlighted:bg-road-wash"
            >
              <span
                className="grid size-4 place-items-center rounded-[2px] border border-edge"
                aria-hidden="true"
              >
                <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
              </span>
              {c.title ?? c.head}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
