import { useState } from "react";
import { browserZone, readLocal, writeLocal, zoneName } from "@/lib/zoned";
import { FieldError, smallLook } from "./controls";

interface Props {
  label: string;
  /** A moment as the API has it; undefined is none. */
  value?: string;
  onChange: (iso: string | undefined) => void;
  /** The IANA zone in which it is written and read; that of the browser if there is none. */
  zone?: string;
  error?: string;
}

/** A date and time in a named zone, written year first, so that nobody takes the day for the month. */
export function MomentField({ label, value, onChange, zone = browserZone(), error }: Props) {
  const [typed, setTyped] = useState<string>();
  const read = typed === undefined || typed.trim() === "" ? undefined : readLocal(typed, zone);
  const wrong = read && "error" in read ? read.error : error;
  return (
    <span className="inline-flex flex-wrap items-center gap-2">
      <input
        aria-label={label}
        aria-invalid={wrong !== undefined}
        className={`${smallLook} w-40 px-2 font-mono aria-[invalid=true]:border-bad`}
        placeholder="2026-11-30 14:00"
        title="Year-month-day hour:minute, 24 h clock"
        value={typed ?? writeLocal(value, zone)}
        onChange={(e) => {
          setTyped(e.target.value);
          const next = readLocal(e.target.value, zone);
          if ("iso" in next) onChange(next.iso);
          else if (e.target.value.trim() === "") onChange(undefined);
        }}
        onBlur={() => {
          if (!wrong) setTyped(undefined);
        }}
      />
      <span className="text-soft" title={zone}>
        {zoneName(value, zone)}
      </span>
      {wrong && <FieldError>{wrong}</FieldError>}
    </span>
  );
}
