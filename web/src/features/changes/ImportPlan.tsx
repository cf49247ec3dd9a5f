import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, type Imported, Problem, take } from "@/api/client";
import { useDraftEdit } from "@/api/queries";
import { Button } from "@/ui/controls";
import { FileButton } from "@/ui/FileButton";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { ChangeItem } from "./ChangeItem";

interface Document {
  name: string;
  text: string;
}

/**
 * Sends a document as it is in the file: the server reads it more strictly than
 * a browser would, and tells line and column.
 */
const put = (text: string, check: boolean) =>
  take(
    api.PUT("/api/draft", {
      params: { query: { check } },
      body: text,
      bodySerializer: (body) => body,
      headers: { "Content-Type": "application/json" },
    }),
  );

/** A plan document from a file: looked at first, then made the draft as a whole. */
export function ImportPlan() {
  const [file, setFile] = useState<Document>();
  const check = useMutation({ mutationFn: (d: Document) => put(d.text, true) });
  const apply = useDraftEdit((d: Document) => put(d.text, false));
  const choose = async (chosen: File) => {
    apply.reset();
    const read = { name: chosen.name, text: await chosen.text() };
    setFile(read);
    check.mutate(read);
  };
  const forget = () => {
    setFile(undefined);
    check.reset();
  };
  const report = check.data;
  return (
    <section aria-label="Import" className="border-b border-line p-4">
      <h2 className="mb-1 font-semibold">Import a plan</h2>
      <p className="mb-2 text-soft">Replaces the whole draft; undo reverts it.</p>
      <FileButton label="Choose a file" accept="application/json,.json" onChoose={choose} />
      {check.isPending && (
        <p role="status" className="mt-2 text-soft">
          Reading {file?.name} …
        </p>
      )}
      {check.isError && (
        <Report title={`${file?.name} cannot be imported`}>
          <Failure error={check.error} />
          {check.error instanceof Problem && check.error.status === 422 && (
            <p className="mt-1 text-soft">The draft is as it was. Mend the file and choose it again.</p>
          )}
        </Report>
      )}
      {file && report && !apply.isSuccess && (
        <Report title={`${file.name}: ${report.name}`}>
          <Counts report={report} />
          <div className="mt-2 flex gap-2">
            <Button look="main" disabled={apply.isPending} onClick={() => apply.mutate(file)}>
              Make it the draft
            </Button>
            <Button onClick={forget}>Cancel</Button>
          </div>
          {apply.isError && <Failure error={apply.error} />}
        </Report>
      )}
      {apply.isSuccess && (
        <p className="mt-2">
          <StateMark tone="good" word={`${apply.data.name} is the draft now.`} />
        </p>
      )}
    </section>
  );
}

function Report({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="mt-3">
      <h3 className="mb-1 font-semibold break-words">{title}</h3>
      {children}
    </div>
  );
}

/** How the document differs from the draft, before anything is done. */
function Counts({ report }: { report: Imported }) {
  const held = Object.entries(report.objects)
    .filter(([, n]) => n > 0)
    .map(([kind, n]) => `${n} ${words[kind] ?? kind}`);
  const { changes, differences } = report;
  return (
    <>
      <p>It holds {held.length > 0 ? held.join(", ") : "nothing"}.</p>
      {differences === 0 ? (
        <p className="text-soft">It is the same as the draft.</p>
      ) : (
        <details>
          <summary>
            It differs from the draft in {differences} {differences === 1 ? "place" : "places"}
          </summary>
          <ul className="mt-1 max-h-72 overflow-auto border-l-4 border-draft-wash">
            {changes.map((c) => (
              <li key={c.kind + c.id}>
                <ChangeItem change={c} />
              </li>
            ))}
          </ul>
          {differences > changes.length && (
            <p className="text-soft">and {differences - changes.length} more</p>
          )}
        </details>
      )}
    </>
  );
}

const words: Record<string, string> = {
  switch: "switches",
  farEnd: "far ends",
  trunk: "trunks",
  table: "tables",
  rule: "rules",
  path: "paths",
  destination: "destinations",
  number: "numbers and blocks",
};
