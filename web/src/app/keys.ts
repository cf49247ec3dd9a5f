import { useLayoutEffect, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { type Stage, stages, stopAt } from "./stages";

const stored = "switchback-single-keys";

/** The keys that act alone: whether they do, and the one that opens the stages. */
export interface SingleKeys {
  on: boolean;
  stages: string;
}

/** Whether a character can open the stages: one that is not a digit, which goes to a stop. */
export const canOpenStages = (key: string): boolean => /^[^\s\d]$/u.test(key);

/** What is kept in the browser: "off", or the key that opens the stages. Anything else is the default. */
export function readSingleKeys(kept: string | null): SingleKeys {
  if (kept === "off") return { on: false, stages: "g" };
  return { on: true, stages: kept !== null && canOpenStages(kept) ? kept : "g" };
}

/** The single keys, which can be switched off and changed (WCAG 2.2, 2.1.4): one before the letter of a stage, and the digits of stops. */
export function useSingleKeys(): [keys: SingleKeys, set: (keys: SingleKeys) => void] {
  const [single, setSingle] = useState(() => readSingleKeys(localStorage.getItem(stored)));
  return [
    single,
    (next) => {
      localStorage.setItem(stored, next.on ? next.stages : "off");
      setSingle(next);
    },
  ];
}

const typing = (e: KeyboardEvent) =>
  (e.target as HTMLElement).closest("input, textarea, select, [contenteditable]") !== null;

interface Options {
  single: SingleKeys;
  find: () => void;
  /** Whether the overlay of the stages is open, and how it opens and closes. */
  choosing: boolean;
  choose: (open: boolean) => void;
}

/** Ctrl K finds; a single key opens the stages, and a letter then goes to one; digits go to stops; F6 to regions. */
export function useKeys({ single, find, choosing, choose }: Options) {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  // Before the first paint: whoever sees the stages can press their keys.
  useLayoutEffect(() => {
    const go = (e: KeyboardEvent, path: string) => {
      e.preventDefault();
      choose(false);
      navigate(path);
    };
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        return find();
      }
      if (e.key === "F6") {
        e.preventDefault();
        return nextRegion(e.shiftKey ? -1 : 1);
      }
      if (e.ctrlKey || e.altKey || e.metaKey) return;
      const stop = stopAt(pathname)?.stage.stops[Number(e.key) - 1];
      if (choosing) {
        if (typing(e) && !(e.target as HTMLElement).matches("[type=checkbox]")) return; // a new key is entered
        const to = stageOf(e.key)?.stops[0] ?? stop;
        if (to) go(e, to.path);
        return;
      }
      if (!single.on || typing(e) || document.querySelector("[role=dialog]")) return;
      if (e.key === single.stages) {
        e.preventDefault();
        return choose(true);
      }
      if (stop) go(e, stop.path);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [single, find, choosing, choose, navigate, pathname]);
}

const stageOf = (key: string): Stage | undefined => stages.find((s) => s.letter === key.toLowerCase());

/** Moves the focus to the next region of the page: the stages, then the parts of the view. */
function nextRegion(step: 1 | -1) {
  const all = [
    ...document.querySelectorAll<HTMLElement>(
      "header nav, main nav, main aside, main section[aria-label], main form[aria-label]",
    ),
  ].filter((r) => r.offsetParent !== null && !r.parentElement?.closest("main nav, main aside"));
  if (all.length === 0) return;
  const at = all.findLastIndex((r) => r.contains(document.activeElement));
  const region = all[(at + step + all.length) % all.length];
  if (!region) return;
  if (!region.hasAttribute("tabindex")) region.tabIndex = -1;
  region.focus();
}
