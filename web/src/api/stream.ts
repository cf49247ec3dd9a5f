/** What a stream of events says to those who follow it. */
export type Told = { kind: "open" } | { kind: "broken" } | { kind: "news"; data: string } | { kind: "reset" };

/** How soon a stream that the server refused is asked for again, in milliseconds. */
const again = 3000;

/**
 * Opens the server's stream of events and tells what comes. The browser resumes a stream that broke by
 * itself, and is told what it missed. The result closes it.
 */
export function openStream(tell: (told: Told) => void): () => void {
  let source: EventSource;
  let reopening: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    source = new EventSource("/api/events");
    source.addEventListener("open", () => tell({ kind: "open" }));
    source.addEventListener("news", (e) => tell({ kind: "news", data: e.data }));
    source.addEventListener("reset", () => tell({ kind: "reset" }));
    source.addEventListener("error", () => {
      tell({ kind: "broken" });
      if (source.readyState === EventSource.CLOSED) reopening = setTimeout(open, again);
    });
  };
  open();
  return () => {
    clearTimeout(reopening);
    source.close();
  };
}
