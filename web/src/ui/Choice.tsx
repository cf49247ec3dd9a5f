import { Select } from "./Select";

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
    <Select
      aria-label={label}
      small
      className={`max-w-44 ${value ? "border-road font-semibold" : ""}`}
      value={value}
      onChange={onChange}
      none={any}
      options={options}
    />
  );
}
