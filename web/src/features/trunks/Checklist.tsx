import { useState } from "react";
import type { TrunkDetail } from "@/api/client";
import { ago } from "@/lib/time";
import { StateMark, type Tone } from "@/ui/StateMark";

type Check = TrunkDetail["checklist"][number];

const tones: Record<Check["state"], Tone> = {
  proved: "good",
  failed: "bad",
  open: "draft",
  unneeded: "soft",
};
const words: Record<Check["state"], string> = {
  proved: "verified",
  failed: "failed",
  open: "open",
  unneeded: "not needed",
};

/** What must be true before the trunk is handed over: worked out, in the order of need. */
export function Checklist({ checks }: { checks: Check[] }) {
  // Open where something failed, until somebody opens or shuts it.
  const [chosen, setChosen] = useState<boolean>();
  const count = (state: Check["state"]) => checks.filter((c) => c.state === state).length;
  const [failed, open] = [count("failed"), count("open")];
  const tone = failed > 0 ? "bad" : open > 0 ? "draft" : "good";
  const word =
    failed + open === 0 ? "all verified" : `${count("proved")} verified, ${failed} failed, ${open} open`;
  return (
    <details
      className="border-b border-line p-4"
      open={chosen ?? failed > 0}
      onToggle={(e) => setChosen(e.currentTarget.open)}
    >
      <summary className="cursor-pointer">
        <span className="mr-3 font-semibold">Checklist</span>
        <StateMark tone={tone} word={word} />
      </summary>
      <ol className="mt-2 flex flex-col gap-2" aria-label="Checklist">
        {checks.map((c) => (
          <li key={c.what}>
            <div className="flex items-baseline gap-3">
              <span className="min-w-0 flex-1">{c.what}</span>
              <StateMark tone={tones[c.state]} word={words[c.state]} />
            </div>
            <div className="text-[13px] break-words text-soft">
              {c.seen}
              {c.at && `, ${ago(c.at)}`}
            </div>
            {c.do && <div className="text-[13px] break-words">{c.do}</div>}
          </li>
        ))}
      </ol>
    </details>
  );
}
