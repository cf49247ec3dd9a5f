import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, type Plan, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Failure } from "@/ui/feedback";

type Trunk = Plan["trunks"][number];

/** What a trunk's settings do on the wire, as the switch would send it; nothing is sent. */
const useWire = (trunk: Trunk) =>
  useQuery({
    queryKey: keys.wire(trunk),
    queryFn: () => take(api.POST("/api/message-preview", { body: { trunk } })),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });

/**
 * The messages that the trunk as it is edited would send, with the lines marked that
 * the saved one would not send so.
 */
export function WirePreview({ edited, saved }: { edited: Trunk; saved: Trunk }) {
  const now = useWire(useDeferredValue(edited));
  const before = useWire(saved);
  const [chosen, setChosen] = useState("INVITE");
  const messages = now.data?.messages ?? [];
  const shown = messages.find((m) => m.what === chosen) ?? messages[0];
  const was = before.data?.messages.find((m) => m.what === shown?.what)?.text;
  return (
    <section aria-label="Message as sent">
      <h2 className="font-semibold">Message as sent</h2>
      {now.isError && <Failure error={now.error} retry={() => now.refetch()} />}
      {now.data?.why && <p className="mt-1 text-dense text-bad">{now.data.why}</p>}
      {shown && now.data && (
        <>
          <p className="text-dense text-soft">
            For <span className="font-mono">{now.data.called}</span> from{" "}
            <span className="font-mono">{now.data.caller}</span>; your changes are marked.
          </p>
          <fieldset aria-label="Message" className="mt-1 flex flex-wrap gap-x-3">
            {messages.map((m) => (
              <button
                key={m.what}
                type="button"
                aria-pressed={m === shown}
                className="border-b-2 border-transparent py-1 text-dense text-soft aria-pressed:border-road aria-pressed:text-ink"
                onClick={() => setChosen(m.what)}
              >
                {captions[m.what] ?? m.what}
              </button>
            ))}
          </fieldset>
          <ol
            className="mt-1 font-mono text-caption leading-snug break-all"
            aria-label={`${shown.what} as it is sent`}
          >
            {marked(shown.text, was).map((l) => (
              <li
                key={l.key}
                className={`min-h-4 pl-1 ${l.fresh ? "border-l-2 border-draft bg-draft-wash" : "border-l-2 border-transparent"}`}
              >
                {l.text}
              </li>
            ))}
          </ol>
        </>
      )}
    </section>
  );
}

const captions: Record<string, string> = { "200 OK": "answer" };

/** A line that follows from the others. */
const counted = /^Content-Length:/;

/** The lines of a message, and which of them another one does not have. */
function marked(text: string, was: string | undefined): { key: string; text: string; fresh: boolean }[] {
  const old = new Set(was?.split("\r\n"));
  const seen = new Map<string, number>();
  return text
    .trimEnd()
    .split("\r\n")
    .map((line) => {
      const n = (seen.get(line) ?? 0) + 1;
      seen.set(line, n);
      return {
        key: `${line} ${n}`,
        text: line,
        fresh: was !== undefined && !old.has(line) && !counted.test(line),
      };
    });
}
