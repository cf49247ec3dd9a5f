import type { Lost, Run, TrailStep, Written } from "@/api/client";
import { causeWords } from "@/lib/cause";
import type { Tone } from "@/ui/StateMark";

/**
 * A trail as a road: straights, on which the number travels, and a bend at the
 * end of each, where something was decided. Pure: it orders and words what the
 * switch told, and computes nothing of its own.
 */
export interface Straight {
  /** Where the call is, such as a far end or a table. */
  title: string;
  subtitle: string;
  switch: string;
  lines: Line[];
  bend: Bend;
  /** The steps of the trail that lie on this straight and its bend. */
  steps: [first: number, last: number];
}

/** One line of a straight: a number, and what a step made of it. */
export interface Line {
  number: "called" | "caller" | "redirecting";
  runs: Run[];
  label: string;
  by: string;
  note?: string;
  failed?: boolean;
}

/** What was decided at the end of a straight. */
export interface Bend {
  kind: "rule" | "none" | "skipped" | "heard" | "end";
  tone: Tone;
  word: string;
  detail: string;
  lost: Lost[];
  omitted: number;
}

const openBend: Bend = { kind: "end", tone: "soft", word: "running", detail: "", lost: [], omitted: 0 };

export function buildRoad(trail: TrailStep[]): Straight[] {
  const road: Straight[] = [];
  let current: Straight | undefined;
  trail.forEach((step, i) => {
    const before = road.at(-1);
    if (!current && before && step.ended && i < trail.length - 1) {
      before.steps[1] = i; // it was answered, and goes on as another call
      return;
    }
    if (!current) {
      current = { title: "", subtitle: "", switch: step.switch, lines: [], bend: openBend, steps: [i, i] };
      road.push(current);
    }
    current.steps[1] = i;
    const bend = place(step, current);
    if (bend) {
      current.bend = bend;
      current = undefined;
    }
  });
  return mergeEnd(road);
}

/** Puts a step on the straight; what it returns ends the straight. */
function place(step: TrailStep, on: Straight): Bend | undefined {
  const {
    received,
    redirected,
    lookedUp,
    rewrote,
    wentOn,
    permitted,
    foundNumber,
    resorted,
    setCalendar,
    delivered,
    tookPath,
    skipped,
    presented,
    sent,
    heard,
    ended,
  } = step;
  if (received) {
    on.title = received.farEnd.name ? `from ${received.farEnd.name}` : (received.by ?? "");
    on.subtitle = received.trunk.name
      ? [`trunk ${received.trunk.name}`, received.by && `identified by ${received.by}`]
          .filter(Boolean)
          .join(", ")
      : "";
    if (received.collected)
      on.subtitle = [on.subtitle, `digits ${received.collected}`].filter(Boolean).join("; ");
    const others = (received.others ?? []).map((o) => `not ${o.trunk.name}: ${o.why}`);
    if (others.length > 0) on.subtitle += `; ${others.join("; ")}`;
    on.lines.push(plain("called", received.called, received.calledText));
    on.lines.push(plain("caller", received.caller, received.callerText));
    if (received.callerName)
      on.subtitle = [on.subtitle, `name ${received.callerName}`].filter(Boolean).join("; ");
    if (received.presentation === "restricted")
      on.subtitle = [on.subtitle, "privacy requested"].filter(Boolean).join("; ");
    for (const turn of received.diverted ?? []) on.lines.push(divertedBy(turn));
    const byHand = Object.entries(received.overrides ?? {}).map(([h, state]) => `${h} ${state} (override)`);
    if (byHand.length > 0) on.subtitle = [on.subtitle, ...byHand].filter(Boolean).join("; ");
    if (received.trial) on.subtitle = [on.subtitle, "decided by the trial"].filter(Boolean).join("; ");
    if (received.unbelieved) on.subtitle += `; redirecting number ${received.trunk.name} not accepted`;
  } else if (redirected) {
    on.title = `${redirections[redirected.how]} by ${redirected.by.name}`;
    if (redirected.reason) on.subtitle = redirected.reason.replaceAll("-", " ");
    if (redirected.with) on.subtitle = `with ${redirected.with}`;
    if (redirected.outside)
      on.subtitle = [on.subtitle, "the remaining party is outside"].filter(Boolean).join("; ");
    if (redirected.to.number) on.lines.push(plain("called", redirected.to));
  } else if (lookedUp) {
    return lookUpBend(lookedUp);
  } else if (rewrote) {
    const { number, runs, label, by, note, failed } = rewrote;
    addLine(on.lines, { number, runs, label, by: by.name, note, failed });
  } else if (wentOn) {
    on.title = `table ${wentOn.table.name}`;
  } else if (permitted) {
    // A refusal stands at the bend that follows; what lets the call pass is said beside the way.
    if (permitted.allowed) on.subtitle = `${permitted.class} call: permitted to ${permitted.group?.name}`;
    else on.title = `${permitted.class} call`;
  } else if (foundNumber) {
    on.subtitle = foundNumber.instead
      ? `in inventory ${foundNumber.number.name}: inside, instead of ${foundNumber.instead.kind} ${foundNumber.instead.name}`
      : `number ${foundNumber.number.name}, ${foundNumber.state}`;
  } else if (resorted) {
    on.subtitle = `last-resort destination of ${resorted.of.kind} ${resorted.of.name}: ${resorted.why}`;
  } else if (setCalendar) {
    on.title = setCalendar.calendar.name;
    on.subtitle = setCalendar.state
      ? `${setCalendar.state} overridden${setCalendar.minutes ? `, for ${setCalendar.minutes} min` : ""}`
      : "by clear override";
  } else if (delivered) {
    on.title = `to ${delivered.destination.name}`;
    on.subtitle = [on.subtitle, `trunk ${delivered.trunk.name}`].filter(Boolean).join(", ");
  } else if (tookPath) {
    on.subtitle = [
      on.subtitle,
      `path ${tookPath.path.name}`,
      tookPath.first,
      tookPath.emergency && !on.subtitle && "emergency call",
    ]
      .filter(Boolean)
      .join(", ");
  } else if (skipped) {
    on.title = `to ${skipped.trunk.name}`;
    return bend(
      "skipped",
      "draft",
      `${skipped.trunk.name} skipped: ${skipped.reason.replace("-", " ")}`,
      skipped.detail,
    );
  } else if (presented) {
    on.subtitle = [on.subtitle, ...shownAs(presented)].filter(Boolean).join(", ");
  } else if (sent) {
    on.title = `to ${sent.farEnd.name}`;
    on.subtitle = [
      on.subtitle,
      sent.address,
      sent.alert?.namePrefix && `name prefix ${sent.alert.namePrefix}`,
      sent.alert?.alertInfo && `Alert-Info ${sent.alert.alertInfo}`,
      sent.alert?.over && `instead of that of ${sent.alert.over.name}`,
    ]
      .filter(Boolean)
      .join(", ");
    for (const line of [
      plain("called", sent.called),
      plain("caller", sent.caller, sent.caller.number ? undefined : "anonymous"),
    ]) {
      if (!on.lines.some((l) => l.number === line.number)) on.lines.push(line);
    }
    if (!on.lines.some((l) => l.number === "redirecting"))
      for (const turn of sent.diverted ?? []) on.lines.push(divertedBy(turn));
  } else if (heard) {
    if (heard.what === "answered") return bend("heard", "good", "answered", `by ${heard.trunk.name}`);
    const cause = causeWords(heard.cause);
    const silence = silences[heard.what];
    if (heard.next === "diverted") return bend("heard", "soft", "forwarded", heard.why ?? "");
    const tone = heard.next === "ends" ? "bad" : "draft";
    const said = [heard.why, heard.detail, heard.hint].filter(Boolean).join("; ");
    return bend("heard", tone, silence ?? cause, said);
  } else if (ended) {
    const tone = ended.outcome === "answered" ? "good" : "bad";
    const word =
      ended.outcome === "answered" ? "answered" : `${outcomes[ended.outcome]}: ${causeWords(ended.cause)}`;
    return bend("end", tone, word, ended.why);
  }
  return undefined;
}

/**
 * Adds a line. A step that changes no digit (it only states or keeps a form)
 * shares a line with its neighbour, so that each line shows a change.
 */
function addLine(lines: Line[], line: Line): void {
  const before = lines.findLast((l) => l.number === line.number);
  if (!before || (changes(before) && changes(line)) || before.note || line.note) {
    lines.push(line);
    return;
  }
  before.label = `${before.label}, ${line.label}`;
  before.by = line.by;
  if (changes(line)) before.runs = line.runs;
}

/** Who the far end is shown, as far as the caller's line does not say it. */
function shownAs({ name, number, numberBy, presentation, note }: NonNullable<TrailStep["presented"]>) {
  return [
    presentation === "restricted" && `calling number ${number.number} withheld`,
    presentation === "allowed" &&
      numberBy &&
      numberBy.kind !== "trunk" &&
      `calling number by ${numberBy.kind} ${numberBy.name}`,
    name && `name ${name}`,
    note,
  ];
}

const outcomes = { refused: "rejected", failed: "failed", abandoned: "abandoned" };

const redirections = {
  diverted: "diverted",
  transferred: "transferred",
  joined: "connected with another call",
  "taken-over": "replaced",
  "picked-up": "picked up",
};

/** A turn of the call that is told of: who diverted it, and why. */
function divertedBy(turn: { number: Written; reason: string }): Line {
  return { ...plain("redirecting", turn.number), label: turn.reason.replaceAll("-", " ") };
}

const changes = (line: Line) => line.runs.some((r) => r.fate !== "kept");

const silences: Record<string, string> = {
  unreachable: "connection refused",
  "no-response": "no response",
  "only-trying": "only 100 Trying",
  unanswered: "no answer",
  abandoned: "calling party hung up",
};

function lookUpBend(looked: NonNullable<TrailStep["lookedUp"]>): Bend {
  const extra = { lost: looked.lost, omitted: looked.omitted ?? 0 };
  if (!looked.winner) {
    return { ...bend("none", "bad", "no rule", `table ${looked.table.name}`), ...extra };
  }
  const table = `table ${looked.table.name}`;
  const why = looked.anyHour ? ", emergency call: calendars ignored" : looked.catchAll ? ", catch-all" : "";
  return { ...bend("rule", "road", looked.winner.name, table + why), ...extra };
}

function bend(kind: Bend["kind"], tone: Tone, word: string, detail: string): Bend {
  return { kind, tone, word, detail, lost: [], omitted: 0 };
}

function plain(number: Line["number"], written: Written, text?: string): Line {
  const shown = written.number || text || "";
  const label = text && !written.number ? "no number" : written.format.replace("-", " ");
  return { number, runs: shown ? [{ text: shown, fate: "kept" }] : [], label, by: "" };
}

/**
 * The end of a call stands where it was decided: a last step that has no
 * straight of its own joins the bend before it.
 */
function mergeEnd(road: Straight[]): Straight[] {
  const last = road.at(-1);
  const before = road.at(-2);
  if (!last || !before || last.lines.length > 0 || last.bend.kind !== "end" || last.title !== "") {
    return road;
  }
  before.steps[1] = last.steps[1];
  before.bend = {
    ...last.bend,
    lost: before.bend.lost,
    omitted: before.bend.omitted,
    detail:
      before.bend.kind === "heard" || before.bend.kind === "none"
        ? last.bend.detail
        : `${before.bend.word}. ${last.bend.detail}`,
  };
  return road.slice(0, -1);
}

/** Every line's height and the gaps of the drawing, in pixels. */
export const sizes = { line: 30, pad: 16, title: 20, min: 66 };

export function heightOf(s: Straight): number {
  return Math.max(sizes.min, sizes.title + sizes.pad + s.lines.length * sizes.line);
}
