import { StateMark, type Tone } from "./StateMark";

interface Props<K extends string> {
  groups: Record<K, { tone: Tone; word: string }>;
  counts: Partial<Record<K, number>>;
  chosen?: K;
  onChoose: (group?: K) => void;
  /** Groups that are shown with nothing in them too. */
  always?: K[];
}

/** How many rows are in which state; each narrows the list to them, and widens it again. */
export function CountFilter<K extends string>({ groups, counts, chosen, onChoose, always = [] }: Props<K>) {
  const names = Object.keys(groups) as K[];
  return (
    <span className="flex flex-wrap items-center gap-1">
      {names
        .filter((name) => counts[name] || name === chosen || always.includes(name))
        .map((name) => {
          const n = counts[name] ?? 0;
          const { tone, word } = groups[name];
          return (
            <button
              key={name}
              type="button"
              aria-pressed={name === chosen}
              onClick={() => onChoose(name === chosen ? undefined : name)}
              className="rounded-[3px] border border-transparent px-2 hover:border-line aria-pressed:border-road"
            >
              <StateMark tone={n > 0 ? tone : "soft"} word={`${n.toLocaleString("en-GB")} ${word}`} />
            </button>
          );
        })}
    </span>
  );
}
