import { useState } from "react";
import type { TrunkDetail } from "@/api/client";
import { ago } from "@/lib/time";
import { StateMark, type Tone } from "@/ui/StateMark";

type Check = TrunkDetail["checklist"][number];

const tones: Record<Check["state"], Tone> = {
  proved: "good",
  failed: "bad",
  open: "warn",
  unneeded: "soft",
};
const words: Record<Check["state"], string> = {
  proved: "verified",
  failed: "failed",
  open: "open",
  unneeded: "not needed",
};

const order: Check["state"][] = ["failed", "open", "proved", "unneeded"];

/** What must be true before the trunk is handed over: what failed or is open first, then in the order of need. */
export function Checklist({ checks }: { checks: Check[] }) {
  // Open where something is left, until it is opened or shut.
  const [chosen, setChosen] = useState<boolean>();
  const count = (state: Check["state"]) => checks.filter((c) => c.state === state).length;
  const [failed, open] = [count("failed"), count("open")];
  const tone = failed > 0 ? "bad" : open > 0 ? "warn" : "good";
  const word =
    failed + open === 0 ? "all verified" : `${count("proved")} verified, ${failed} failed, ${open} open`;
  return (
    <details
      className="border-b border-line p-4"
      open={chosen ?? failed + open > 0}
      onToggle={(e) => setChosen(e.currentTarget.open)}
    >
      <summary className="cursor-pointer">
        <span className="mr-3 font-semibold">Checklist</span>
        <StateMark tone={tone} word={word} />
      </summary>
      <ol className="mt-2 flex flex-col gap-2" aria-label="Checklist">
        {checks
          .toSorted((a, b) => order.indexOf(a.state) - order.indexOf(b.state))
          .map((c) => (
            <li key={c.what}>
              <div className="flex items-baseline gap-3">
                <span className="min-w-0 flex-1">{c.what}</span>
                <StateMark tone={tones[c.state]} word={words[c.state]} quiet={c.state === "proved"} />
              </div>
              <div className="text-dense break-words text-soft">
                {c.seen}
                {c.at && `, ${ago(c.at)}`}
              </div>
              {c.do && <div className="text-dense break-words">{c.do}</div>}
            </li>
          ))}
      </ol>
    </details>
  );
}
