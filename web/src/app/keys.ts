import { useEffect, useLayoutEffect, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { type Stage, stages, stopAt } from "./stages";

const stored = "switchback-single-keys";

/** Whether single keys act (WCAG 2.1.4): g before the letter of a stage, and the digits of stops. */
export function useSingleKeys(): [on: boolean, set: (on: boolean) => void] {
  const [on, setOn] = useState(() => localStorage.getItem(stored) !== "off");
  return [
    on,
    (next) => {
      localStorage.setItem(stored, next ? "on" : "off");
      setOn(next);
    },
  ];
}

const typing = (e: KeyboardEvent) =>
  (e.target as HTMLElement).closest("input, textarea, select, [contenteditable]") !== null;

interface Options {
  /** Whether single keys act. */
  single: boolean;
  find: () => void;
  /** Whether the overlay of the stages is open, and how it opens and closes. */
  choosing: boolean;
  choose: (open: boolean) => void;
}

/** Ctrl K finds; g opens the stages, and a letter then goes to one; digits go to stops; F6 to regions. */
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
        const to = stageOf(e.key)?.stops[0] ?? stop;
        if (to) go(e, to.path);
        return;
      }
      if (!single || typing(e) || document.querySelector("[role=dialog]")) return;
      if (e.key === "g") {
        e.preventDefault();
        return choose(true);
      }
      if (stop) go(e, stop.path);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [single, find, choosing, choose, navigate, pathname]);
  useEffect(() => {
    if (pathname) choose(false); // the choice was made
  }, [pathname, choose]);
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
