import { Link } from "react-router";
import { Problem, type Rule, type RuleEffect, type Table } from "@/api/client";
import { useEffectOf } from "@/api/queries";
import { StateMark } from "@/ui/StateMark";
import { FindingLine } from "./Findings";

/** What a rule does where it stands, worked out by the switch while it is typed. */
export function EffectView({ table, rule }: { table: Table; rule: Rule }) {
  const effect = useEffectOf(table.id, rule);
  if (effect.isError) {
    const own = effect.error instanceof Problem && effect.error.places.length > 0;
    return (
      <p className="text-dense text-soft">
        Its effect is worked out once it can stand{own ? "." : `: ${effect.error.message}.`}
      </p>
    );
  }
  const e = effect.data;
  if (!e) return null;
  return (
    <section
      aria-label="What it does where it stands"
      className="flex flex-col gap-2 border-y border-line bg-paper px-3 py-2 text-dense"
    >
      <h3 className="font-semibold">Where it stands</h3>
      {e.findings.map((f) => (
        <FindingLine key={f.kind + f.text} finding={f} />
      ))}
      <Shares
        word="takes from"
        table={table}
        list={e.takes}
        tail={(s) => (s.all ? "all that it has left" : undefined)}
      />
      <Shares
        word="leaves to"
        table={table}
        list={e.yields}
        tail={(s) => (s.all ? "everything" : undefined)}
      />
      <Classes effect={e} />
      {e.overlap && <OneByOne effect={e} atOnce={rule.complete === "at-once"} />}
      {e.findings.length + e.takes.length + e.yields.length === 0 && (
        <StateMark tone="good" word="no other rule of the table wants its calls" />
      )}
    </section>
  );
}

interface SharesProps {
  word: string;
  table: Table;
  list: RuleEffect["takes"];
  tail: (s: RuleEffect["takes"][number]) => string | undefined;
}

function Shares({ word, table, list, tail }: SharesProps) {
  if (list.length === 0) return null;
  return (
    <div>
      <span className="text-soft">{word}</span>
      <ul className="ml-3">
        {list.map((s) => (
          <li key={s.rule.id}>
            <Link to={`/routing/${table.id}/${s.rule.id}`} className="text-road underline underline-offset-2">
              {s.rule.name}
            </Link>
            , e.g. <span className="font-mono">{s.example || "no digits"}</span>
            {tail(s) && <span className="text-warn">, {tail(s)}</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}

function Classes({ effect }: { effect: RuleEffect }) {
  if (effect.classes.length === 0) return null;
  return (
    <div>
      <span className="text-soft">sends out</span>
      <ul className="ml-3">
        {effect.classes.map((c) => (
          <li key={c.class} title={c.why}>
            {c.class} calls, e.g. <span className="font-mono">{c.example}</span>
            {c.leaves !== c.example && (
              <>
                {" "}
                as <span className="font-mono">{c.leaves}</span>
              </>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What waiting delays, and what connecting at once would cut off. */
function OneByOne({ effect, atOnce }: { effect: RuleEffect; atOnce: boolean }) {
  const list = atOnce ? effect.cutOff : effect.delayed;
  if (list.length === 0)
    return (
      <StateMark
        tone="good"
        word={
          atOnce ? "connecting at once cuts off no longer number" : "no number of it waits for a longer one"
        }
      />
    );
  return (
    <div>
      <StateMark tone="warn" word={atOnce ? "at once cuts off" : "these wait for longer ones"} />
      <ul className="ml-3 font-mono">
        {list.map((o) => (
          <li key={`${o.number} ${o.longer}`}>
            {atOnce ? (
              <>
                {o.longer} <span className="font-sans text-soft">behind</span> {o.number}
              </>
            ) : (
              <>
                {o.number} <span className="font-sans text-soft">for</span> {o.longer}
              </>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
