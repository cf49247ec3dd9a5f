import { useEffect, useState } from "react";

const tick = 100;

/** A timer of digit collection as it runs down from the last key, as it would on the switch. */
export function DigitTimer({ name, ms }: { name: string; ms: number }) {
  const [began] = useState(() => Date.now());
  const [now, setNow] = useState(began);
  const left = Math.max(0, ms - (now - began));
  useEffect(() => {
    if (left === 0) return;
    const timer = window.setTimeout(() => setNow(Date.now()), tick);
    return () => window.clearTimeout(timer);
  }, [left]);
  return (
    <span className="ml-3 inline-flex items-center gap-2 text-body text-soft" role="timer">
      {name} timer, <span className="font-mono">{ms / 1000}</span> s
      <span
        className="inline-block h-2 w-24 overflow-hidden rounded-[2px] border border-edge"
        aria-hidden="true"
      >
        <span className="block h-full bg-edge" style={{ width: `${(left / ms) * 100}%` }} />
      </span>
      <span className="w-16 font-mono" aria-hidden="true">
        {left === 0 ? "expired" : `${(left / 1000).toFixed(1)} s`}
      </span>
    </span>
  );
}
