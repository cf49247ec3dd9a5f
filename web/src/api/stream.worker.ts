import { openStream, type Told } from "./stream";

/**
 * One stream of events for all tabs of a browser: over HTTP/1.1 a browser opens six connections to a
 * server at most, and a stream in each tab would hold them all.
 */
const followers = new Set<MessagePort>();
let close: (() => void) | undefined;
let state: Told | undefined;

const tell = (told: Told) => {
  if (told.kind === "open" || told.kind === "broken") state = told;
  for (const port of followers) port.postMessage(told);
};

const join = (port: MessagePort) => {
  followers.add(port);
  if (close === undefined) close = openStream(tell);
  else if (state) port.postMessage(state);
};

const leave = (port: MessagePort) => {
  followers.delete(port);
  if (followers.size > 0) return;
  close?.();
  close = undefined;
  state = undefined;
};

// The type of a shared worker's global scope is in no library that the page is checked with.
(globalThis as unknown as { onconnect: (e: MessageEvent) => void }).onconnect = (e) => {
  const port = e.ports[0];
  if (!port) return;
  port.onmessage = (m: MessageEvent<"join" | "leave">) => (m.data === "join" ? join(port) : leave(port));
};
