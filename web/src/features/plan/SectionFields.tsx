import { type ReactNode, useState } from "react";
import { get, same, type Value } from "@/lib/value";
import { anchorOf } from "./FormBar";
import type { PlanObject, Section } from "./model";
import type { Advice } from "./profile";
import { SettingField } from "./Setting";
import { isShown, type Shown } from "./shown";

interface Props {
  section: Section;
  edited: PlanObject;
  saved: PlanObject;
  live?: PlanObject;
  profile: Advice[];
  nameable?: Record<string, { id: string; name: string }[]>;
  show: Shown;
  find: string;
  at: (place: string) => string | undefined;
  onChange: (place: string, value: Value) => void;
  /** What one line for a setting cannot show. */
  children?: ReactNode;
}

/** The settings of a section that are shown, and how many more it has. */
export function SectionFields({
  section,
  edited,
  saved,
  live,
  profile,
  nameable,
  show,
  find,
  at,
  onChange,
  children,
}: Props) {
  const [open, setOpen] = useState(false);
  const shown = section.settings.filter((s) => {
    const advice = profile.find((r) => r.place === s.place);
    return isShown(
      s,
      {
        value: get(edited, s.place),
        saved: get(saved, s.place),
        live: live && { value: get(live, s.place) },
        advised: advice !== undefined && advice.state !== "follows",
        error: at(s.place) !== undefined,
      },
      open && show === "set" ? "all" : show,
      find,
    );
  });
  const special = children && find.trim() === "" && show !== "changed" ? children : null;
  const rest = section.settings.length - shown.length;
  if (shown.length === 0 && !special && (find.trim() !== "" || show === "changed" || rest === 0)) return null;
  return (
    <section
      id={anchorOf(section)}
      aria-label={section.title}
      className="mt-3 scroll-mt-12 border-t-2 border-line pt-2"
    >
      <h2 className="flex items-baseline gap-3 font-semibold">
        {section.title}
        {show === "set" && find.trim() === "" && (rest > 0 || open) && (
          <button
            type="button"
            aria-expanded={open}
            className="text-dense font-normal text-road underline-offset-2 hover:underline"
            onClick={() => setOpen(!open)}
          >
            {open ? "only set" : `${rest} at default`}
          </button>
        )}
      </h2>
      {section.about && <p className="text-dense text-soft">{section.about}</p>}
      <div className="mt-1 grid grid-cols-2 gap-x-5 gap-y-2">
        {shown.map((s) => (
          <SettingField
            key={s.place}
            setting={s}
            value={get(edited, s.place)}
            live={
              live && !same(get(live, s.place), get(edited, s.place))
                ? { value: get(live, s.place) }
                : undefined
            }
            profile={profile.find((r) => r.place === s.place)}
            among={nameable?.[s.place] ?? []}
            error={at(s.place)}
            onChange={(v) => onChange(s.place, v)}
          />
        ))}
        {special}
      </div>
    </section>
  );
}
