import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type NumberImport, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Button } from "@/ui/controls";
import { FileButton } from "@/ui/FileButton";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

const send = (file: File, check: boolean, sweep: boolean) =>
  take(
    api.POST("/api/draft/numbers.csv", {
      params: { query: { check, sweep } },
      body: file as never,
      bodySerializer: (body) => body as unknown as BodyInit,
      headers: { "Content-Type": "text/csv" },
    }),
  );

const running = (j?: NumberImport) => j !== undefined && ["reading", "checking", "writing"].includes(j.phase);

/** A CSV file of numbers: looked at first, with a report a line, then taken whole or not at all. */
export function ImportNumbers() {
  const queries = useQueryClient();
  const [file, setFile] = useState<File>();
  const [sweep, setSweep] = useState(false);
  const begin = useMutation({
    mutationFn: (ask: { file: File; check: boolean; sweep: boolean }) => send(ask.file, ask.check, ask.sweep),
  });
  const id = begin.data?.id ?? "";
  const job = useQuery({
    queryKey: keys.import(id),
    queryFn: () => take(api.GET("/api/imports/{id}", { params: { path: { id } } })),
    enabled: id !== "",
    refetchInterval: (q) => (running(q.state.data) ? 300 : false),
    initialData: begin.data,
    staleTime: 0,
  });
  const cancel = useMutation({
    mutationFn: () => take(api.DELETE("/api/imports/{id}", { params: { path: { id } } })),
    onSettled: () => job.refetch(),
  });
  const j = id ? job.data : undefined;
  const applied = j?.applied === true;
  useEffect(() => {
    if (applied) for (const queryKey of [keys.draft, keys.changes]) queries.invalidateQueries({ queryKey });
  }, [applied, queries]);
  const forget = () => {
    setFile(undefined);
    begin.reset();
  };
  return (
    <div className="relative">
      <FileButton
        label="Import CSV"
        accept=".csv,text/csv"
        onChoose={(f) => {
          setFile(f);
          begin.mutate({ file: f, check: true, sweep });
        }}
      />
      {file && (
        <section
          aria-label="Import of numbers"
          className="absolute top-full right-0 z-10 mt-1 w-[34rem] border border-line bg-sheet p-3 shadow-lg"
        >
          <h2 className="mb-1 font-semibold break-words">{file.name}</h2>
          {begin.isError && <Failure error={begin.error} />}
          {begin.isPending && <p role="status">Sending the file …</p>}
          {j && running(j) && (
            <div role="status">
              <p className="mb-1">
                {j.phase} … {Math.round(j.share * 100)} %
              </p>
              <progress className="w-full" value={j.share} max={1} aria-label={`${j.phase} the file`} />
            </div>
          )}
          {j && !running(j) && <Outcome job={j} />}
          <label className="mt-2 flex items-center gap-2 text-dense">
            <input
              type="checkbox"
              checked={sweep}
              onChange={(e) => {
                setSweep(e.target.checked);
                begin.mutate({ file, check: true, sweep: e.target.checked });
              }}
              disabled={running(j)}
            />
            delete numbers missing in the file
          </label>
          <div className="mt-2 flex items-center gap-2">
            {j && running(j) && (
              <Button look="danger" className="h-7" onClick={() => cancel.mutate()}>
                Stop
              </Button>
            )}
            {j?.phase === "done" && !j.applied && j.bad === 0 && (
              <Button look="main" className="h-7" onClick={() => begin.mutate({ file, check: false, sweep })}>
                Import all lines
              </Button>
            )}
            {j && !running(j) && (
              <Button className="h-7" onClick={forget}>
                Close
              </Button>
            )}
            {j?.phase === "done" && (
              <a
                href={`/api/imports/${j.id}/report.csv`}
                download
                className="text-dense text-road underline-offset-2 hover:underline"
              >
                Report per line
              </a>
            )}
          </div>
        </section>
      )}
    </div>
  );
}

function Outcome({ job: j }: { job: NumberImport }) {
  if (j.phase === "failed") return <StateMark tone="bad" wrap word={j.why ?? "it failed"} />;
  if (j.phase === "cancelled") return <StateMark tone="soft" wrap word={j.why ?? "it was stopped"} />;
  return (
    <div>
      <p>
        {n(j.added)} added, {n(j.changed)} changed, {n(j.same)} the same
        {j.removed > 0 && `, ${n(j.removed)} deleted`}, {n(j.bad)} with errors, in {j.seconds.toFixed(1)} s.
      </p>
      {j.applied ? (
        <StateMark tone="good" word="In the draft; undo reverts it." />
      ) : j.bad > 0 ? (
        <StateMark tone="bad" word="Nothing is imported while a line has an error." />
      ) : null}
      {j.faults.length > 0 && (
        <ul className="mt-1 max-h-56 overflow-auto text-dense">
          {j.faults.map((f) => (
            <li key={f.line}>
              <span className="font-mono text-soft">line {f.line}</span>{" "}
              <span className="font-mono">{f.name}</span>
              {f.faults.map((x) => (
                <span key={x.place + x.reason} className="block pl-6 text-bad">
                  <code className="font-mono">{x.place}</code> {x.reason}
                </span>
              ))}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

const n = (x: number) => x.toLocaleString("en-GB");
