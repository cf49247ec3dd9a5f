import { Command } from "cmdk";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import type { Plan, Rule, Table } from "@/api/client";
import { useDraft } from "@/api/queries";
import { useKinds } from "@/features/plan/kinds";
import { objectsOf } from "@/features/plan/model";
import { stages } from "../stages";
import { ActionGroup } from "./ActionGroup";
import { everyWord, groupLook, itemLook, numberIn } from "./look";
import { NumberGroup } from "./NumberGroup";

/** The command finder: goes to any view or object of the plan by its name, does what is named, and says what is known of a number. */
export function Finder({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const navigate = useNavigate();
  const draft = useDraft();
  const [search, setSearch] = useState("");
  const tables = draft.data?.plan.tables;
  // Nothing is looked for while the finder is shut: a plan can have very many rules.
  const known = useMemo(() => (open && tables ? wordsOf(tables) : []), [open, tables]);
  const found = useMemo(() => find(known, search), [known, search]);
  const views = stages.flatMap((s) =>
    s.stops
      .filter((stop) => everyWord(`${s.name} ${stop.name}`, search))
      .map(({ name, path }) => ({ name, path, stage: s.name })),
  );
  const number = open ? numberIn(search) : undefined;
  const go = (path: string) => {
    onOpenChange(false);
    navigate(path);
  };
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Find"
      shouldFilter={false}
      overlayClassName="fixed inset-0 z-40 bg-black/40"
      contentClassName="fixed z-50 top-[14vh] left-1/2 w-[34rem] -translate-x-1/2 overflow-hidden rounded-[4px] border border-edge bg-sheet shadow-xl"
    >
      <Command.Input
        value={search}
        onValueChange={setSearch}
        placeholder="Find a view, object, action or number"
        className="h-11 w-full border-b border-line bg-sheet px-3"
      />
      <Command.List className="max-h-[50vh] overflow-auto p-1">
        <Command.Empty className="p-3 text-soft">Nothing has that name.</Command.Empty>
        {number && <NumberGroup number={number} onGo={go} />}
        {views.length > 0 && (
          <Command.Group heading="Views" className={groupLook}>
            {views.map((v) => (
              <Command.Item key={v.path} onSelect={() => go(v.path)} className={itemLook} value={v.path}>
                {v.name} <span className="text-soft">{v.stage}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        <ActionGroup search={search} onGo={go} onDone={() => onOpenChange(false)} />
        <Objects plan={draft.data?.plan} search={search} onGo={go} />
        {found.map(({ table: t, named, rules }) => (
          <Command.Group key={t.id} heading={t.name} className={groupLook}>
            {named && (
              <Command.Item
                onSelect={() => go(`/routing/${t.id}`)}
                className={itemLook}
                value={`table ${t.id}`}
              >
                {t.name} <span className="text-soft">table</span>
              </Command.Item>
            )}
            {rules.slice(0, most).map((r) => (
              <Command.Item
                key={r.id}
                onSelect={() => go(`/routing/${t.id}/${r.id}`)}
                className={itemLook}
                value={`rule ${r.id}`}
              >
                {r.name} <span className="font-mono text-soft">{r.match.called}</span>
              </Command.Item>
            ))}
            {rules.length > most && (
              <p className="px-2 py-1 text-dense text-soft">
                and {rules.length - most} more; type more of the name or the pattern
              </p>
            )}
          </Command.Group>
        ))}
      </Command.List>
    </Command.Dialog>
  );
}

/** Switches, far ends, trunks, paths and destinations with a name. */
function Objects({ plan, search, onGo }: { plan?: Plan; search: string; onGo: (path: string) => void }) {
  const kinds = useKinds();
  if (!plan || search.trim() === "") return null;
  return kinds.map((kind) => {
    const list = objectsOf(plan, kind.field).filter((o) =>
      everyWord(`${kind.one} ${o.name} ${o.id}`, search),
    );
    if (list.length === 0) return null;
    return (
      <Command.Group key={kind.field} heading={kind.many} className={groupLook}>
        {list.slice(0, most).map((o) => (
          <Command.Item
            key={o.id}
            onSelect={() => onGo(`/plan/${kind.field}/${o.id}`)}
            className={itemLook}
            value={`${kind.field} ${o.id}`}
          >
            {o.name} <span className="text-soft">{kind.one}</span>
          </Command.Item>
        ))}
      </Command.Group>
    );
  });
}

/** How many rules of one table are listed. */
const most = 20;

/** How many rules are listed in all. */
const mostOfAll = 60;

interface Known {
  table: Table;
  text: string;
  rules: { rule: Rule; text: string }[];
}

interface Found {
  table: Table;
  /** The table itself was found, not only rules of it. */
  named: boolean;
  rules: Rule[];
}

/** What tables and rules are found by, made once for all keys of a search. */
function wordsOf(tables: Table[]): Known[] {
  return tables.map((table) => ({
    table,
    text: `table ${table.name} ${table.id}`.toLowerCase(),
    rules: table.rules.map((rule) => ({
      rule,
      text: `rule ${rule.name} ${rule.id} ${rule.match.called ?? ""}`.toLowerCase(),
    })),
  }));
}

/** The tables with something that holds every word, and what; as many as can be read. */
function find(known: Known[], search: string): Found[] {
  const words = search.toLowerCase().split(/\s+/);
  const holds = (text: string) => words.every((w) => text.includes(w));
  const out: Found[] = [];
  let left = mostOfAll;
  for (const { table, text, rules } of known) {
    if (left <= 0) break;
    const hits = rules.filter((r) => holds(r.text)).map((r) => r.rule);
    const named = holds(text);
    if (!named && hits.length === 0) continue;
    out.push({ table, named, rules: hits });
    left -= Math.min(hits.length, most) + 1;
  }
  return out;
}
