import { type ComponentProps, type ReactNode, useId } from "react";

type ButtonProps = ComponentProps<"button"> & {
  look?: "main" | "grave" | "plain" | "danger" | "bare" | "bare-danger";
};

const looks = {
  main: "bg-road text-road-ink border-road hover:brightness-110 font-semibold",
  grave: "bg-bad text-sheet border-bad hover:brightness-110 font-semibold",
  plain: "bg-sheet text-ink border-edge hover:bg-road-wash",
  danger: "bg-sheet text-bad border-bad hover:bg-bad-wash",
  bare: "border-transparent text-ink hover:bg-road-wash",
  "bare-danger": "border-transparent text-bad hover:bg-bad-wash",
};

export function Button({ look = "plain", className = "", type = "button", ...rest }: ButtonProps) {
  return (
    <button
      type={type}
      className={`inline-flex h-8 items-center justify-center gap-2 rounded-[3px] border px-3 whitespace-nowrap disabled:opacity-50 ${looks[look]} ${className}`}
      {...rest}
    />
  );
}

export const inputLook =
  "h-8 w-full min-w-0 rounded-[3px] border border-edge bg-sheet px-2 text-ink aria-[invalid=true]:border-bad aria-[invalid=true]:border-2";

/** A small input or choice in a line of others, as wide as what it shows. */
export const smallLook = "h-7 rounded-[3px] border border-edge bg-sheet px-1 text-ink";

interface FieldProps {
  label: string;
  hint?: ReactNode;
  error?: string;
  children: (props: { id: string; "aria-invalid": boolean; "aria-describedby": string }) => ReactNode;
}

/** A labelled input with its hint and, in place, what is wrong with it. */
export function Field({ label, hint, error, children }: FieldProps) {
  const id = useId();
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="mb-1 block text-dense text-soft">
        {label}
      </label>
      {children({ id, "aria-invalid": error !== undefined, "aria-describedby": `${id}-hint` })}
      <div id={`${id}-hint`} className="text-dense">
        {error ? <FieldError>{error}</FieldError> : hint ? <span className="text-soft">{hint}</span> : null}
      </div>
    </div>
  );
}

export function FieldError({ children }: { children: ReactNode }) {
  return (
    <span role="alert" className="text-bad">
      {children}
    </span>
  );
}

export function Kbd({ children }: { children: ReactNode }) {
  return (
    <kbd className="rounded-[3px] border border-edge bg-sunk px-1 font-mono text-caption text-soft">
      {children}
    </kbd>
  );
}
