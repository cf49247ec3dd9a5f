import { Plus, X } from "lucide-react";
import { useHolidayCountries } from "@/api/calendars";
import type { Dated, Hours, Plan } from "@/api/client";
import { Button, Field, FieldError, inputLook, smallLook } from "@/ui/controls";
import { Select } from "@/ui/Select";
import { CalendarFile } from "./CalendarFile";

interface Props {
  hours: Hours;
  plan: Plan;
  onChange: (h: Hours) => void;
  at: (place: string) => string | undefined;
}

const countries = new Intl.DisplayNames(["en"], { type: "region" });

/** The dates and the public holidays of a calendar, which win over its week. */
export function DatesEditor({ hours, plan, onChange, at }: Props) {
  const known = useHolidayCountries().data ?? [];
  const dates = hours.dates ?? [];
  const put = (i: number, part: Partial<Dated>) =>
    onChange({ ...hours, dates: dates.map((d, j) => (j === i ? { ...d, ...part } : d)) });
  const text = (
    i: number,
    key: "name" | "on" | "until" | "from" | "to" | "state",
    width: string,
    placeholder: string,
  ) => (
    <input
      aria-label={`${labels[key]} of date ${i + 1}`}
      className={`${smallLook} ${width} ${key === "name" || key === "state" ? "" : "font-mono"}`}
      value={dates[i]?.[key] ?? ""}
      placeholder={placeholder}
      onChange={(e) =>
        put(i, {
          [key]: e.target.value || (key === "name" || key === "on" || key === "state" ? "" : undefined),
        })
      }
    />
  );
  const holidays = hours.holidays;
  return (
    <>
      <fieldset className="col-span-2 min-w-0">
        <legend className="mb-1 text-dense text-soft">
          Dates: single dates precede yearly dates, holidays and the week
        </legend>
        <ol className="flex flex-col">
          {dates.map((d, i) => (
            <li key={i} className="flex flex-wrap items-center gap-2 border-t border-line py-1 text-dense">
              {text(i, "name", "w-40", "name")}
              {text(i, "on", "w-28", "yyyy-mm-dd")}
              {text(i, "from", "w-16", "00:00")}
              <span className="text-soft">to</span>
              {text(i, "until", "w-28", "same day")}
              {text(i, "to", "w-16", "24:00")}
              <label className="flex items-center gap-1">
                <input
                  type="checkbox"
                  checked={d.yearly ?? false}
                  onChange={(e) => put(i, { yearly: e.target.checked || undefined })}
                />
                yearly
              </label>
              <span className="text-soft">is</span>
              {text(i, "state", "w-24", "state")}
              <Button
                look="bare"
                className="h-7 px-1"
                aria-label={`Delete date ${i + 1}`}
                onClick={() => onChange({ ...hours, dates: dates.filter((_, j) => j !== i) })}
              >
                <X className="size-4" />
              </Button>
              {at(`dates/${i}`) && <FieldError>{at(`dates/${i}`)}</FieldError>}
            </li>
          ))}
        </ol>
        <div className="mt-1 flex flex-wrap items-center gap-2">
          <Button
            look="bare"
            className="h-7 px-1 text-road"
            onClick={() =>
              onChange({ ...hours, dates: [...dates, { name: "", on: "", state: hours.defaultState }] })
            }
          >
            <Plus className="size-4" aria-hidden="true" /> Add a date
          </Button>
          <CalendarFile hours={hours} plan={plan} onChange={onChange} />
        </div>
      </fieldset>
      <Field label="Public holidays of" error={at("holidays/country")} hint="with substitute days">
        {(p) => (
          <Select
            {...p}
            value={holidays?.country ?? ""}
            onChange={(country) =>
              onChange({
                ...hours,
                holidays: country ? { country, state: holidays?.state || "holiday" } : undefined,
              })
            }
            none="none"
            options={known.map((c) => ({ value: c, label: countryName(c) }))}
          />
        )}
      </Field>
      <Field label="State on public holidays" error={at("holidays/state")}>
        {(p) => (
          <input
            {...p}
            className={inputLook}
            value={holidays?.state ?? ""}
            disabled={!holidays?.country}
            onChange={(e) => onChange({ ...hours, holidays: { ...holidays, state: e.target.value } })}
          />
        )}
      </Field>
    </>
  );
}

const labels = { name: "Name", on: "First day", until: "Last day", from: "Begin", to: "End", state: "State" };

function countryName(code: string): string {
  const [country = code, part] = code.split("-");
  const name = countries.of(country) ?? country;
  return part ? `${name}, ${part}` : name;
}
