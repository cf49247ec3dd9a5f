interface Props {
  used: number;
  all: number;
  label: string;
  /** Whether a full one is bad, as with channels, or good, as with a share that is done. */
  full?: "bad" | "good";
}

/** How much of something is used, as a bar that fills. Browsers draw their own in the colours of one theme. */
export function Meter({ used, all, label, full = "bad" }: Props) {
  const share = all > 0 ? Math.min(1, used / all) : 0;
  return (
    <span className="relative inline-block h-2 w-16 overflow-hidden rounded-[2px] border border-edge bg-sunk">
      <meter min={0} max={all} value={used} className="sr-only" aria-label={label}>
        {used} of {all}
      </meter>
      <span
        aria-hidden="true"
        className={`block h-full ${share >= 1 && full === "bad" ? "bg-bad" : "bg-road"}`}
        style={{ width: `${share * 100}%` }}
      />
    </span>
  );
}
