import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { api, type Listed, type TryAsk, take } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/controls";
import { Empty, Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";
import type { FormProps } from "./AskForm";
import { Conditions } from "./Conditions";
import { SourceFields } from "./SourceFields";

const tones: Record<string, Tone> = { answered: "good", refused: "bad", failed: "bad" };

interface Props {
  ask: TryAsk;
  set: FormProps["set"];
  change: FormProps["change"];
}

/** Numbers, one a line, and what would happen to each. */
export function NumberList({ ask, set, change }: Props) {
  const [text, setText] = useState("");
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const numbers = text.split(/\r?\n/).filter((l) => l.trim() !== "");
  const body = {
    plan: ask.plan,
    from: ask.from,
    caller: ask.caller,
    simulate: ask.simulate,
    numbers,
  };
  const run = useMutation({ mutationFn: () => take(api.POST("/api/test-calls/list", { body })) });
  const file = useMutation({
    mutationFn: async () => {
      const csv = await take(api.POST("/api/test-calls/list.csv", { body, parseAs: "blob" }));
      const link = document.createElement("a");
      link.href = URL.createObjectURL(csv as unknown as Blob);
      link.download = "numbers.csv";
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[17rem_minmax(0,1fr)]">
      <form
        className="flex flex-col gap-3 border-r border-line bg-sheet p-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <SourceFields ask={ask} set={set} />
        <Field label="Dialled numbers, one per line" hint={`${numbers.length} numbers, at most 10,000`}>
          {(p) => (
            <textarea
              {...p}
              className={`${inputLook} h-72 py-1 font-mono`}
              value={text}
              onChange={(e) => setText(e.target.value)}
              spellCheck={false}
            />
          )}
        </Field>
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending || numbers.length === 0}>
            {run.isPending ? "Running …" : "Run all"}
          </Button>
          <Button onClick={() => file.mutate()} disabled={file.isPending || numbers.length === 0}>
            <Download className="size-4" aria-hidden="true" /> CSV
          </Button>
        </div>
        <Conditions simulate={ask.simulate} from={ask.from} set={set} change={change} />
      </form>
      <section ref={setScrolled} className="min-h-0 overflow-auto" aria-label="Results">
        {run.isError && <Failure error={run.error} />}
        {file.isError && <Failure error={file.error} />}
        {run.data ? (
          <>
            <div className="sticky top-0 z-10 grid grid-cols-[2rem_9rem_7.5rem_6rem_minmax(0,1fr)_6.5rem_8rem_8rem] gap-x-2 border-b border-line bg-sunk px-3 py-1 text-dense text-soft">
              {["", "dialled", "outcome", "class", "rule", "trunk", "called", "caller"].map((h) => (
                <span key={h}>{h}</span>
              ))}
            </div>
            <VirtualList items={run.data} keyOf={(l) => String(l.line)} scrolled={scrolled} height={30}>
              {(l) => <Row listed={l} />}
            </VirtualList>
          </>
        ) : (
          <Empty>Paste numbers to see the result of each.</Empty>
        )}
      </section>
    </div>
  );
}

function Row({ listed: l }: { listed: Listed }) {
  return (
    <div
      className="grid grid-cols-[2rem_9rem_7.5rem_6rem_minmax(0,1fr)_6.5rem_8rem_8rem] items-baseline gap-x-2 border-b border-line px-3 py-1"
      title={l.bad || l.why}
    >
      <span className="text-right font-mono text-dense text-soft">{l.line}</span>
      <span className="truncate font-mono">{l.dialled}</span>
      <StateMark
        tone={tones[l.outcome] ?? "draft"}
        word={l.outcome === "answered" ? "answered" : l.bad ? "not a number" : `${l.outcome}, ${l.cause}`}
      />
      <span className="truncate">{l.class}</span>
      <span className="truncate">{l.bad ? <span className="text-bad">{l.bad}</span> : l.rule?.name}</span>
      <span className="truncate">{l.trunk}</span>
      <span className="truncate font-mono text-body">{l.called}</span>
      <span className="truncate font-mono text-body">{l.caller}</span>
    </div>
  );
}
