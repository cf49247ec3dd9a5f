import type { Grant } from "./classes";

/** A gate that is open, open at times, or shut. */
export function GrantMark({ grant }: { grant: Grant }) {
  return (
    <svg
      viewBox="0 0 16 10"
      className="h-3 w-4 shrink-0"
      aria-hidden="true"
      fill="none"
      stroke="currentColor"
      strokeWidth="2"
    >
      {grant === "always" && <path d="M1 9V1M15 9V1M1 5h2M13 5h2" />}
      {grant === "some" && <path d="M1 9V1M15 9V1M1 5h8" />}
      {grant === "never" && <path d="M1 9V1M15 9V1M1 5h14" />}
    </svg>
  );
}
