import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Hand } from "lucide-react";
import { useState } from "react";
import { api, type HoursNow, take } from "@/api/client";
import { keys } from "@/api/keys";
import { untilWords } from "@/parts/calendar";
import { Button, smallLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { Select, words } from "@/ui/Select";

const lengths: [minutes: number, word: string][] = [
  [60, "for an hour"],
  [240, "for 4 hours"],
  [720, "for 12 hours"],
  [1440, "for a day"],
  [0, "until cleared"],
];

/** Puts a calendar of the live plan in a state at once, or clears that. */
export function Override({ now }: { now: HoursNow }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [state, setState] = useState(now.states.find((s) => s !== now.places[0]?.state) ?? "");
  const [minutes, setMinutes] = useState(240);
  const [why, setWhy] = useState("");
  const settle = { onSettled: () => queries.invalidateQueries({ queryKey: keys.calendars }) };
  const path = { params: { path: { id: now.id } } };
  const set = useMutation({
    mutationFn: () =>
      take(
        api.PUT("/api/calendars/{id}/override", { ...path, body: { state, minutes, why: why || undefined } }),
      ),
    onSuccess: () => setOpen(false),
    ...settle,
  });
  const back = useMutation({
    mutationFn: () => take(api.DELETE("/api/calendars/{id}/override", path)),
    ...settle,
  });
  const failed = set.error ?? back.error;
  return (
    <div className="mt-1">
      {now.override ? (
        <div className="rounded-[3px] border border-warn bg-warn-wash px-2 py-1 text-dense">
          <span className="break-words">
            {now.override.state} by {now.override.by}
            {now.override.why && `, ${now.override.why}`},{" "}
            {untilWords(now.override.until, now.places[0]?.zone)}
          </span>{" "}
          <Button className="h-6 px-2" disabled={back.isPending} onClick={() => back.mutate()}>
            Clear override
          </Button>
        </div>
      ) : (
        !open && (
          <Button look="bare" className="h-6 px-1 text-dense text-road" onClick={() => setOpen(true)}>
            <Hand className="size-4" aria-hidden="true" /> Override
          </Button>
        )
      )}
      {open && !now.override && (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            set.mutate();
          }}
        >
          <Select
            aria-label={`State of ${now.name}`}
            small
            value={state}
            onChange={setState}
            options={words(now.states)}
          />
          <Select
            aria-label="For how long"
            small
            value={String(minutes)}
            onChange={(m) => setMinutes(Number(m))}
            options={lengths.map(([m, label]) => ({ value: String(m), label }))}
          />
          <input
            aria-label="Reason"
            placeholder="why"
            className={`${smallLook} w-24`}
            value={why}
            onChange={(e) => setWhy(e.target.value)}
            maxLength={200}
          />
          <Button type="submit" look="main" className="h-7 px-2" disabled={set.isPending}>
            Set override
          </Button>
          <Button look="bare" className="h-7 px-1" onClick={() => setOpen(false)}>
            Cancel
          </Button>
        </form>
      )}
      {failed && <Failure error={failed} />}
    </div>
  );
}
