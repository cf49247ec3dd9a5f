import { type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import { api, type Network, take } from "./client";
import { keys } from "./keys";
import type { components } from "./schema.gen";
import { openStream, type Told } from "./stream";

type News = components["schemas"]["News"];

/** What must be read again when something changed. */
export function touched({ topic, id }: News): QueryKey[] {
  switch (topic) {
    case "trunk":
      return [keys.trunk(id)];
    case "records":
      return [keys.network];
    case "call":
      return [keys.calls, keys.running, keys.call(id), keys.tries];
    case "draft":
      return [keys.draft, keys.changes];
    case "plan":
      return [keys.network, keys.draft, keys.changes, keys.revisions, keys.sources, keys.calendars];
    case "calendars":
      return [keys.calendars];
    case "trial":
      return [keys.trial];
    case "gate":
      return [keys.gate];
    case "stand-in":
      return [keys.standIns];
  }
}

/** How long what changed is gathered before it is read again, in milliseconds. */
const gather = 250;
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
  const waiting = new Map<string, QueryKey>();
  const trunks = new Set<string>();
  let everything = false;
  let flushing: number | undefined;
  const flush = () => {
    flushing = undefined;
    if (everything) queries.invalidateQueries();
    else {
      for (const queryKey of waiting.values()) queries.invalidateQueries({ queryKey });
      if (!waiting.has("network")) readTrunks(queries, [...trunks]);
    }
    waiting.clear();
    trunks.clear();
    everything = false;
  };
  const later = () => {
    flushing ??= window.setTimeout(flush, gather);
  };
  const leave = listen((told) => {
    switch (told.kind) {
      case "open":
      case "broken":
        connection.set(told.kind === "open");
        return;
      case "news":
        for (const news of JSON.parse(told.data) as News[]) {
          for (const key of touched(news)) waiting.set(key.join("/"), key);
          if (news.topic === "trunk") trunks.add(news.id);
        }
        break;
      case "reset":
        everything = true;
    }
    later();
  });
  return () => {
    window.clearTimeout(flushing);
    leave();
  };
}

/** More trunks than this at once are read with the whole network. */
const mostTrunks = 16;

/** Reads the state of some trunks alone, and puts it into what is known of the network. */
async function readTrunks(queries: QueryClient, ids: string[]): Promise<void> {
  const key = keys.network;
  if (ids.length === 0) return;
  if (ids.length > mostTrunks || !queries.getQueryData(key)) {
    await queries.invalidateQueries({ queryKey: key, exact: true });
    return;
  }
  try {
    const now = await take(api.GET("/api/network", { params: { query: { trunk: ids } } }));
    queries.setQueryData<Network>(key, (known) => known && merged(known, now));
  } catch {
    await queries.invalidateQueries({ queryKey: key, exact: true }); // which shows what is wrong
  }
}

/** What is known of the network, with the trunks of a later answer in the place of those before. */
export function merged(known: Network, now: Network): Network {
  if (known.revision !== now.revision) return known; // it is read whole when a plan goes live
  const later = new Map(now.trunks.map((t) => [t.id, t]));
  return { ...now, trunks: known.trunks.map((t) => later.get(t.id) ?? t) };
}

/** Listens to the stream that all tabs of the browser share; one of its own where they cannot share. */
function listen(tell: (told: Told) => void): () => void {
  if (typeof SharedWorker === "undefined") return openStream(tell);
  const worker = new SharedWorker(new URL("./stream.worker.ts", import.meta.url), {
    type: "module",
    name: "switchback-events",
  });
  const { port } = worker;
  port.onmessage = (e: MessageEvent<Told>) => tell(e.data);
  const leave = () => port.postMessage("leave");
  port.postMessage("join");
  window.addEventListener("pagehide", leave);
  // A page that comes back out of the browser's memory listens again.
  const back = (e: PageTransitionEvent) => e.persisted && port.postMessage("join");
  window.addEventListener("pageshow", back);
  return () => {
    window.removeEventListener("pagehide", leave);
    window.removeEventListener("pageshow", back);
    leave();
    port.close();
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

/**
 * How long an answer stays good of which events tell each change: for ever while they come in.
 */
export const whileTold = () => (connection.connected ? Number.POSITIVE_INFINITY : 0);

export const useConnected = () =>
  useSyncExternalStore(
    (tell) => {
      connection.listeners.add(tell);
      return () => connection.listeners.delete(tell);
    },
    () => connection.connected,
  );
