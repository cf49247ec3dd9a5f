import { smallLook } from "./controls";

interface Props {
  label: string;
  /** The word for no choice. */
  any: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
}

/** A filter: one of a few, or any. It stands out while it filters. */
export function Choice({ label, any, value, onChange, options }: Props) {
  return (
    <select
      aria-label={label}
      className={`${smallLook} max-w-44 ${value ? "border-road font-semibold" : ""}`}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      <option value="">{any}</option>
      {options.map((o) => (
        <option key={o.value} value={o.value}>
          {o.label}
        </option>
      ))}
    </select>
  );
}
