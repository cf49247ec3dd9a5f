import { BookmarkPlus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { type Check, Problem, type Try, type TryAsk } from "@/api/client";
import { putObject, useDraftEdit } from "@/api/queries";
import { idOf } from "@/lib/value";
import { Button, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";

type Result = NonNullable<Try["result"]>;

/** Keeps a test call as a check, dry or live: its result is what is expected from now on. */
export function KeepCheck({ ask, result }: { ask: TryAsk; result: Result }) {
  const [name, setName] = useState<string>();
  const keep = useDraftEdit((c: Check) => putObject("checks", { is: c }));
  const left = result.attempts.findLast((a) => !a.skipped);
  if (result.outcome === "abandoned") return null;
  const outcome = result.outcome;
  const submit = () =>
    name &&
    keep.mutate(
      {
        id: idOf(name),
        name,
        from: ask.from,
        called: ask.called,
        caller: ask.caller,
        simulate: {
          ...ask.simulate,
          down: ask.simulate?.down?.length ? ask.simulate.down : undefined,
          full: ask.simulate?.full?.length ? ask.simulate.full : undefined,
        },
        expected: {
          outcome,
          trunkOut: left?.trunk,
          calledOut: left && result.called,
          callerOut: left && result.caller,
          cause: outcome === "answered" ? undefined : result.cause.q850,
        },
      },
      { onSuccess: () => setName(undefined) },
    );
  return (
    <div className="float-right flex items-center gap-2">
      {name === undefined ? (
        <>
          {keep.isSuccess && (
            <Link to="/checks" className="text-road underline-offset-2 hover:underline">
              saved, see Checks
            </Link>
          )}
          <Button onClick={() => setName(`${ask.from} dials ${ask.called || "nothing"}`)}>
            <BookmarkPlus className="size-4" aria-hidden="true" /> Keep as check
          </Button>
        </>
      ) : (
        <form
          className="flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            submit();
          }}
        >
          <input
            // biome-ignore lint/a11y/noAutofocus: it was opened by the button that it takes the place of
            autoFocus
            className={`${inputLook} w-64`}
            value={name}
            onChange={(e) => setName(e.target.value)}
            aria-label="Name of the check"
            required
          />
          <Button type="submit" look="main" disabled={keep.isPending}>
            Keep
          </Button>
          <Button onClick={() => setName(undefined)}>Cancel</Button>
        </form>
      )}
      {keep.isError && (
        <Failure
          error={
            keep.error instanceof Problem && keep.error.status === 409
              ? new Error("duplicate check name")
              : keep.error
          }
        />
      )}
    </div>
  );
}
