import { Plus, X } from "lucide-react";
import type { Hours } from "@/api/client";
import { Button, FieldError, smallLook } from "@/ui/controls";

const days = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

interface Props {
  hours: Hours;
  onChange: (h: Hours) => void;
  at: (place: string) => string | undefined;
}

/** The week of a calendar: spans of days and hours, each with its state. */
export function WeekEditor({ hours, onChange, at }: Props) {
  const put = (i: number, part: Partial<Hours["week"][number]>) =>
    onChange({ ...hours, week: hours.week.map((s, j) => (j === i ? { ...s, ...part } : s)) });
  return (
    <fieldset className="col-span-2 min-w-0">
      <legend className="mb-1 text-dense text-soft">Week: the first matching span applies</legend>
      <ol className="flex flex-col">
        {hours.week.map((s, i) => (
          <li key={i} className="flex flex-wrap items-center gap-2 border-t border-line py-1">
            {days.map((d) => (
              <label key={d} className="flex items-center gap-1 text-dense">
                <input
                  type="checkbox"
                  checked={s.days.includes(d)}
                  onChange={(e) =>
                    put(i, { days: days.filter((x) => (x === d ? e.target.checked : s.days.includes(x))) })
                  }
                />
                {d}
              </label>
            ))}
            {(["from", "to"] as const).map((end) => (
              <label key={end} className="flex items-center gap-1 text-dense text-soft">
                {end}
                <input
                  className={`${smallLook} w-16 font-mono`}
                  value={s[end]}
                  placeholder="hh:mm"
                  onChange={(e) => put(i, { [end]: e.target.value })}
                />
              </label>
            ))}
            <label className="flex items-center gap-1 text-dense text-soft">
              is
              <input
                className={`${smallLook} w-24`}
                value={s.state}
                onChange={(e) => put(i, { state: e.target.value })}
              />
            </label>
            <Button
              look="bare"
              className="h-7 px-1"
              aria-label={`Delete span ${i + 1}`}
              onClick={() => onChange({ ...hours, week: hours.week.filter((_, j) => j !== i) })}
            >
              <X className="size-4" />
            </Button>
            {at(`week/${i}`) && <FieldError>{at(`week/${i}`)}</FieldError>}
          </li>
        ))}
      </ol>
      <Button
        look="bare"
        className="mt-1 h-7 px-1 text-road"
        onClick={() =>
          onChange({
            ...hours,
            week: [...hours.week, { days: days.slice(0, 5), from: "09:00", to: "17:00", state: "day" }],
          })
        }
      >
        <Plus className="size-4" aria-hidden="true" /> Add a span
      </Button>
    </fieldset>
  );
}
