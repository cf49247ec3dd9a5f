import { groupsOf } from "@/lib/grouping";

/** A number in groups. The gaps are drawn, not written: what is copied or searched is the number itself. */
export function Digits({ number, className = "" }: { number: string; className?: string }) {
  return (
    <span className={`font-mono ${className}`}>
      {groupsOf(number).map((g, i) => (
        <span key={i} className={i > 0 ? "ml-[0.45ch]" : undefined}>
          {g}
        </span>
      ))}
    </span>
  );
}
