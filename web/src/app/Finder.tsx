import { Command } from "cmdk";
import { useNavigate } from "react-router";
import { useDraft } from "@/api/queries";
import { views } from "./views";

/** The command finder: goes to any view, table or rule by its name. */
export function Finder({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const navigate = useNavigate();
  const draft = useDraft();
  const go = (path: string) => {
    onOpenChange(false);
    navigate(path);
  };
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Find"
      filter={everyWord}
      overlayClassName="fixed inset-0 bg-black/40"
      contentClassName="fixed top-[14vh] left-1/2 w-[34rem] -translate-x-1/2 overflow-hidden rounded-[4px] border border-line bg-sheet shadow-xl"
    >
      <Command.Input
        placeholder="Find a view, a table, a rule"
        className="h-11 w-full border-b border-line bg-sheet px-3"
      />
      <Command.List className="max-h-[50vh] overflow-auto p-1">
        <Command.Empty className="p-3 text-soft">Nothing has that name.</Command.Empty>
        <Command.Group heading="Views" className={group}>
          {views.map((v) => (
            <Command.Item
              key={v.path}
              onSelect={() => go(v.path)}
              className={item}
              value={`${v.step} ${v.name}`}
            >
              {v.name} <span className="text-soft">{v.step}</span>
            </Command.Item>
          ))}
        </Command.Group>
        {draft.data?.plan.tables.map((t) => (
          <Command.Group key={t.id} heading={t.name} className={group}>
            <Command.Item
              onSelect={() => go(`/routing/${t.id}`)}
              className={item}
              value={`table ${t.name} ${t.id}`}
            >
              {t.name} <span className="text-soft">table</span>
            </Command.Item>
            {t.rules.map((r) => (
              <Command.Item
                key={r.id}
                onSelect={() => go(`/routing/${t.id}/${r.id}`)}
                className={item}
                value={`rule ${r.name} ${r.id} ${r.match.called ?? ""}`}
              >
                {r.name} <span className="font-mono text-soft">{r.match.called}</span>
              </Command.Item>
            ))}
          </Command.Group>
        ))}
      </Command.List>
    </Command.Dialog>
  );
}

/** Finds what holds every word that was typed. */
function everyWord(value: string, search: string): number {
  const words = search.toLowerCase().split(/\s+/);
  return words.every((w) => value.toLowerCase().includes(w)) ? 1 : 0;
}

const group =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-[12px] [&_[cmdk-group-heading]]:text-soft";
const item =
  "flex cursor-pointer justify-between gap-3 rounded-[3px] px-2 py-1 data-[selected=true]:bg-road-wash";
