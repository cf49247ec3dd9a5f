import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import type { components } from "./schema.gen";

type News = components["schemas"]["News"];

/** What must be read again when something changed. */
export function touched({ topic, id }: News): string[][] {
  switch (topic) {
    case "trunk":
    case "records":
      return [["network"]];
    case "call":
      return [["calls"], ["running"], ["call", id], ["try"]];
    case "draft":
      return [["draft"], ["changes"]];
    case "plan":
      return [["network"], ["draft"], ["changes"], ["revisions"], ["sources"], ["hours"]];
    case "hours":
      return [["hours"]];
    case "trial":
      return [["trial"]];
    case "gate":
      return [["gate"]];
    case "stand-in":
      return [["stand-ins"]];
  }
}

/** How long what changed is gathered before it is read again, in milliseconds. */
const gather = 250;
/** How soon a stream that the server refused is asked for again. */
const again = 3000;

/**
 * Follows the server's events for as long as somebody is signed in, and has
 * read again what they name. The browser resumes a stream that broke by itself,
 * and is told what it missed.
 */
export function useEvents(): void {
  const queries = useQueryClient();
  useEffect(() => follow(queries), [queries]);
}

function follow(queries: QueryClient): () => void {
  const waiting = new Map<string, string[]>();
  let everything = false;
  let flushing: number | undefined;
  let reopening: number | undefined;
  let source: EventSource;
  const flush = () => {
    flushing = undefined;
    if (everything) queries.invalidateQueries();
    else for (const queryKey of waiting.values()) queries.invalidateQueries({ queryKey });
    waiting.clear();
    everything = false;
  };
  const later = () => {
    flushing ??= window.setTimeout(flush, gather);
  };
  const open = () => {
    source = new EventSource("/api/events");
    source.addEventListener("open", () => connection.set(true));
    source.addEventListener("news", (e) => {
      for (const news of JSON.parse(e.data) as News[]) {
        for (const key of touched(news)) waiting.set(key.join("/"), key);
      }
      later();
    });
    source.addEventListener("reset", () => {
      everything = true;
      later();
    });
    source.addEventListener("error", () => {
      connection.set(false);
      if (source.readyState === EventSource.CLOSED) reopening = window.setTimeout(open, again);
    });
  };
  open();
  return () => {
    window.clearTimeout(flushing);
    window.clearTimeout(reopening);
    source.close();
  };
}

/** Whether events come in; what depends on them must say so while they do not. */
const connection = {
  connected: true,
  listeners: new Set<() => void>(),
  set(connected: boolean) {
    if (connected === this.connected) return;
    this.connected = connected;
    for (const tell of this.listeners) tell();
  },
};

export const useConnected = () =>
  useSyncExternalStore(
    (tell) => {
      connection.listeners.add(tell);
      return () => connection.listeners.delete(tell);
    },
    () => connection.connected,
  );
