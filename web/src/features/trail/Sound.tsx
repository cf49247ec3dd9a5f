import type { CallDetail, TrailStep, Try } from "@/api/client";
import { StateMark, type Tone } from "@/ui/StateMark";

const tones: Record<string, Tone> = { "both-ways": "good", "one-way": "bad", none: "bad" };

type Listened = NonNullable<Try["media"]>["atCaller"];

/** What the two ends of a live try heard of each other, from what arrived there. */
export function TrySound({ sound }: { sound: NonNullable<Try["media"]> }) {
  return (
    <section aria-label="Media" className="flex flex-wrap items-baseline gap-x-5 text-dense">
      <span className="text-body">
        <StateMark tone={tones[sound.verdict] ?? "soft"} word={sound.why} />
      </span>
      <Way name="at the calling side" heard={sound.atCaller} />
      <Way name="at the called side" heard={sound.atCalled} />
      <span className="text-soft">{sound.through ? "through the switch" : "direct"}</span>
    </section>
  );
}

function Way({ name, heard }: { name: string; heard: Listened }) {
  return (
    <span>
      <span className="text-soft">{name}</span> <Counts {...heard} />
    </span>
  );
}

/** What was counted of one direction (RFC 3550). */
function Counts({ packets, lost, jitterMs }: { packets: number; lost: number; jitterMs: number }) {
  return (
    <span>
      <span className="font-mono">{packets}</span> packets, <span className="font-mono">{lost}</span> lost,
      jitter <span className="font-mono">{jitterMs.toFixed(1)}</span> ms
    </span>
  );
}

/** The far end of a leg, as the trail names it: as it was named when the call ran. */
function nameIn(steps: TrailStep[], leg: CallDetail["legs"][number]): string {
  for (const s of steps) {
    if (s.received?.trunk.id === leg.trunk) return s.received.farEnd.name;
    if (s.heard?.trunk.id === leg.trunk) return s.heard.trunk.name;
  }
  return leg.farEnd || leg.trunk || "the test";
}

/** What the switch heard of each side of a call that is over. */
export function CallSound({ legs, steps }: { legs: CallDetail["legs"]; steps: TrailStep[] }) {
  const heard = legs.filter((l) => l.media?.heard);
  if (heard.length === 0) return null;
  return (
    <section aria-label="Media" className="mb-4 flex flex-wrap gap-x-6 text-dense">
      <span className="font-semibold">Media through the switch</span>
      {heard.map((l) => (
        <span key={l.id}>
          <span className="text-soft">from {nameIn(steps, l)}</span>{" "}
          {l.media?.heard && <Counts {...l.media.heard} />}
          {l.media?.codec && <span className="font-mono">, {l.media.codec}</span>}
          {(l.media?.heard?.elsewhere ?? 0) > 0 && (
            <span className="text-bad">, {l.media?.heard?.elsewhere} from another source, dropped</span>
          )}
        </span>
      ))}
    </section>
  );
}
