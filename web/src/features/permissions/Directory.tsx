import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, type SheetReport, take } from "@/api/client";
import { useDraft, useDraftEdit, useUsers } from "@/api/queries";
import { Button } from "@/ui/controls";
import { FileButton } from "@/ui/FileButton";
import { Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";
import { VirtualList } from "@/ui/VirtualList";

type Kind = "callerGroups" | "destinations";

/** What each is called where it is named. */
const named = { callerGroups: "callerGroup", destinations: "destination" } as const;

/** Where the API has each as CSV. */
const sheets = { callerGroups: "caller-groups", destinations: "destinations" } as const;

/** The bytes of the file as they are: the server says what is wrong with them. */
const send = (kind: Kind, file: File, check: boolean) =>
  take(
    api.POST(`/api/draft/${sheets[kind]}.csv` as "/api/draft/caller-groups.csv", {
      params: { query: { check } },
      body: file as never,
      bodySerializer: (body) => body as unknown as BodyInit,
      headers: { "Content-Type": "text/csv" },
    }),
  );

/** A directory: where each of it is used, and CSV out and in with a report a line. */
export function Directory({ kind, title }: { kind: Kind; title: string }) {
  const draft = useDraft();
  const [file, setFile] = useState<File>();
  const [scrolled, setScrolled] = useState<HTMLElement | null>(null);
  const check = useMutation({ mutationFn: (f: File) => send(kind, f, true) });
  const apply = useDraftEdit((f: File) => send(kind, f, false));
  const plan = draft.data?.plan;
  const list: Listed[] = plan?.[kind] ?? [];
  const counts = useUsers(named[kind]).data?.counts ?? {};
  const choose = (f: File) => {
    apply.reset();
    setFile(f);
    check.mutate(f);
  };
  const report = apply.data ?? check.data;
  return (
    <section aria-label={title}>
      <header className="mb-1 flex items-center gap-3">
        <h2 className="font-semibold">{title}</h2>
        <span className="font-mono text-dense text-soft">{list.length}</span>
        <a
          href={`/api/draft/${sheets[kind]}.csv`}
          download
          className="ml-auto inline-flex items-center gap-1 text-dense text-road underline-offset-2 hover:underline"
        >
          <Download className="size-4" aria-hidden="true" /> CSV
        </a>
        <FileButton label="Import CSV" accept=".csv,text/csv" onChoose={choose} />
      </header>
      {check.isError && <Failure error={check.error} />}
      {apply.isError && <Failure error={apply.error} />}
      {file && report && !check.isError && (
        <Report
          name={file.name}
          report={report}
          onApply={() => apply.mutate(file)}
          onForget={() => {
            setFile(undefined);
            check.reset();
            apply.reset();
          }}
        />
      )}
      <div ref={setScrolled} className="max-h-80 overflow-auto border-t border-line">
        {plan && (
          <VirtualList items={list} keyOf={(o) => o.id} scrolled={scrolled} height={29} fixed>
            {(o) => (
              <div className="flex h-full items-baseline gap-3 border-b border-line py-1">
                <Link
                  to={`/plan/${kind}/${o.id}`}
                  className="min-w-0 flex-1 truncate underline-offset-2 hover:underline"
                >
                  {o.name}
                </Link>
                <span className="max-w-[12rem] truncate font-mono text-dense text-soft">{numbersOf(o)}</span>
                <span className="w-20 shrink-0 text-right text-dense text-soft">
                  {uses(counts[o.id] ?? 0, kind)}
                </span>
              </div>
            )}
          </VirtualList>
        )}
      </div>
    </section>
  );
}

interface Listed {
  id: string;
  name: string;
  callerPattern?: string;
  numberPattern?: string;
  number?: string;
}

const numbersOf = (o: Listed) => o.callerPattern ?? o.numberPattern ?? o.number ?? "";

/** How often it is named. Callers are in their groups whether a rule names these or not. */
const uses = (n: number, kind: Kind) =>
  n === 0 ? (kind === "callerGroups" ? "" : "not used") : n === 1 ? "1 use" : `${n} uses`;

const tones: Record<string, Tone> = { added: "good", changed: "draft", same: "soft", bad: "bad" };

interface ReportProps {
  name: string;
  report: SheetReport;
  onApply: () => void;
  onForget: () => void;
}

function Report({ name, report, onApply, onForget }: ReportProps) {
  const told = report.lines.filter((l) => l.what !== "same").slice(0, 200);
  return (
    <div className="mb-2 border border-line bg-sheet p-3" role="status">
      <p className="mb-1">
        <span className="font-semibold">{name}</span>: {report.added} added, {report.changed} changed,{" "}
        {report.same} the same, {report.bad} with faults.{" "}
        {report.applied
          ? "In the draft; undo reverts it."
          : report.bad > 0
            ? "Nothing is imported while a line has an error."
            : ""}
      </p>
      <ul className="max-h-48 overflow-auto text-dense">
        {told.map((l) => (
          <li key={l.line}>
            <span className="font-mono text-soft">line {l.line}</span>{" "}
            <StateMark tone={tones[l.what] ?? "soft"} word={l.what} /> {l.name || l.id}
            {l.faults.map((f) => (
              <span key={f.place + f.reason} className="block pl-6 text-bad">
                {f.place && <code className="font-mono">{f.place}</code>} {f.reason}
              </span>
            ))}
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-2">
        {!report.applied && report.bad === 0 && (
          <Button look="main" className="h-7" onClick={onApply}>
            Import all lines
          </Button>
        )}
        <Button className="h-7" onClick={onForget}>
          Close
        </Button>
      </div>
    </div>
  );
}
