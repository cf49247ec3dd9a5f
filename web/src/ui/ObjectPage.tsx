import { ArrowLeft } from "lucide-react";
import type { ReactNode } from "react";
import { Link, NavLink } from "react-router";

/** A section of an object's page, with what it comes to in a word or two. */
export interface Section {
  path: string;
  name: string;
  sum?: ReactNode;
}

interface Props {
  label: string;
  back: { to: string; name: string };
  title: ReactNode;
  /** State and facts beside the title. */
  facts?: ReactNode;
  actions?: ReactNode;
  sections: Section[];
  children: ReactNode;
}

/** The page of one object: its name and state stay, its sections are a list that says what each holds. */
export function ObjectPage({ label, back, title, facts, actions, sections, children }: Props) {
  return (
    <section aria-label={label} className="flex h-full flex-col">
      <header className="flex shrink-0 flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-line bg-sheet px-4 py-2">
        <Link
          to={back.to}
          className="inline-flex items-center gap-1 self-center text-road underline-offset-2 hover:underline"
        >
          <ArrowLeft className="size-4" aria-hidden="true" /> {back.name}
        </Link>
        <h1 className="min-w-0 text-title leading-tight font-semibold break-words">{title}</h1>
        {facts}
        <span className="ml-auto flex items-baseline gap-4">{actions}</span>
      </header>
      <div className="flex min-h-0 flex-1">
        <nav
          aria-label={`Sections of ${label}`}
          className="w-40 shrink-0 overflow-auto border-r border-line bg-sheet py-2"
        >
          {sections.map((s) => (
            <NavLink
              key={s.path}
              to={s.path}
              end
              className="block border-l-4 border-transparent py-1 pr-2 pl-3 hover:bg-road-wash aria-[current=page]:border-road aria-[current=page]:bg-road-wash"
            >
              <span className="block font-semibold">{s.name}</span>
              {s.sum && <span className="block text-dense text-soft">{s.sum}</span>}
            </NavLink>
          ))}
        </nav>
        <div className="min-h-0 min-w-0 flex-1 overflow-auto">{children}</div>
      </div>
    </section>
  );
}
