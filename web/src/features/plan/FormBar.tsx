import { smallLook } from "@/ui/controls";
import type { Section } from "./model";
import type { Shown } from "./shown";

const shows: Record<Shown, string> = { all: "All settings", set: "Set", changed: "Changed" };

interface Props {
  sections: Section[];
  find: string;
  onFind: (text: string) => void;
  show: Shown;
  onShow: (show: Shown) => void;
}

/** Over a long form: which settings it shows, a search, and its sections. */
export function FormBar({ sections, find, onFind, show, onShow }: Props) {
  return (
    <div className="sticky -top-3 z-10 -mx-5 mt-2 border-y border-line bg-sunk px-5 py-1">
      <div className="flex flex-wrap items-center gap-2">
        <input
          type="search"
          aria-label="Find setting"
          placeholder="Find setting"
          className={`${smallLook} w-40 px-2`}
          value={find}
          onChange={(e) => onFind(e.target.value)}
        />
        <fieldset className="flex">
          <legend className="sr-only">Settings shown</legend>
          {(Object.keys(shows) as Shown[]).map((s) => (
            <button
              key={s}
              type="button"
              aria-pressed={show === s}
              onClick={() => onShow(s)}
              className="-ml-px h-7 border border-edge bg-sheet px-2 text-dense first:ml-0 first:rounded-l-[3px] last:rounded-r-[3px] aria-pressed:bg-road-wash aria-pressed:font-semibold"
            >
              {shows[s]}
            </button>
          ))}
        </fieldset>
        <nav aria-label="Sections" className="flex flex-wrap gap-x-3 text-dense">
          {sections.map((s) => (
            <a
              key={s.title}
              href={`#${anchorOf(s)}`}
              className="text-road underline-offset-2 hover:underline"
            >
              {s.title}
            </a>
          ))}
        </nav>
      </div>
    </div>
  );
}

export const anchorOf = (s: Section): string => `settings-${s.title.toLowerCase().replaceAll(/\W+/g, "-")}`;
