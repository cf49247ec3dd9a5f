import { createContext, type ReactNode, useContext } from "react";
import { type Plan, Problem } from "@/api/client";
import { placeInWords } from "@/lib/places";
import { StateMark } from "./StateMark";

/** Shown while something is read for the first time. */
export function Loading({ what }: { what: string }) {
  return (
    <p className="p-4 text-soft" role="status">
      Reading {what} …
    </p>
  );
}

/** The plan whose objects errors name. */
export const NamedIn = createContext<Plan | undefined>(undefined);

/** A request failed: what, why, and how to go on. */
export function Failure({ error, retry }: { error: unknown; retry?: () => void }) {
  const plan = useContext(NamedIn);
  const places = error instanceof Problem ? error.places : [];
  return (
    <div
      role="alert"
      className="min-w-0 rounded-[3px] border border-bad bg-bad-wash p-3 break-words text-ink"
    >
      <StateMark tone="bad" word={error instanceof Error ? error.message : "something failed"} />
      {places.length > 0 && (
        <ul className="mt-1 list-disc pl-6">
          {places.map((p) => (
            <li key={p.at + p.reason}>
              {p.at && <span className="font-semibold">{placeInWords(p.at, plan)}: </span>}
              {p.reason}
            </li>
          ))}
        </ul>
      )}
      {retry && (
        <button type="button" className="mt-2 underline" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  );
}

/** Nothing is there yet: what to do next, with the button that does it. */
export function Empty({ children, action }: { children: ReactNode; action?: ReactNode }) {
  return (
    <div className="flex flex-col items-start gap-3 p-6 text-soft">
      <p>{children}</p>
      {action}
    </div>
  );
}
