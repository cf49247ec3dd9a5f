import { useMutation, useQueryClient } from "@tanstack/react-query";
import { PhoneOutgoing } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, Problem, type TrunkDetail, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";

/** Takes a trunk out of service or puts it back: at once, and in no revision. */
export function Service({ trunk }: { trunk: TrunkDetail }) {
  const queries = useQueryClient();
  const [why, setWhy] = useState("");
  const set = useMutation({
    mutationFn: (word: "in" | "draining" | "off") =>
      take(
        api.PUT("/api/trunks/{id}/service", {
          params: { path: { id: trunk.id } },
          body: { word, minutes: 0, why },
        }),
      ),
    onSuccess: () => {
      setWhy("");
      queries.invalidateQueries({ queryKey: keys.network });
    },
  });
  const out = trunk.state.word === "off" || trunk.state.word === "draining";
  return (
    <section className="border-b border-line p-4" aria-label="Service">
      <h3 className="mb-1 font-semibold">Service</h3>
      {out ? (
        <Button look="main" onClick={() => set.mutate("in")} disabled={set.isPending}>
          Put back into service
        </Button>
      ) : (
        <>
          <Field
            label="Reason"
            hint="Rejects new calls at once; active calls continue. Out of service also stops OPTIONS and registration."
          >
            {(props) => (
              <input
                {...props}
                className={inputLook}
                value={why}
                maxLength={500}
                onChange={(e) => setWhy(e.target.value)}
              />
            )}
          </Field>
          <div className="mt-2 flex gap-2">
            <Button onClick={() => set.mutate("draining")} disabled={set.isPending}>
              Drain
            </Button>
            <Button look="danger" onClick={() => set.mutate("off")} disabled={set.isPending}>
              Set out of service
            </Button>
          </div>
        </>
      )}
      {set.isError && <Failure error={set.error} />}
    </section>
  );
}

/** A straight test call: digits as typed, past the plan. */
export function StraightTest({ trunk }: { trunk: TrunkDetail }) {
  const [digits, setDigits] = useState("");
  const [caller, setCaller] = useState("");
  const place = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/trunks/{id}/test-call", {
          params: { path: { id: trunk.id } },
          body: { digits, caller, seconds: 3 },
        }),
      ),
  });
  const problem = place.error instanceof Problem ? place.error : undefined;
  return (
    <section className="border-b border-line p-4" aria-label="Straight test call">
      <h3 className="mb-1 font-semibold">Straight test call</h3>
      <p className="mb-2 text-dense text-soft">
        Sends the digits as typed, without rules and number contract: it tells a fault of the plan from one of
        the trunk.
      </p>
      <form
        className="grid grid-cols-2 gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          place.mutate();
        }}
      >
        <Field label="Digits" error={problem?.at("body.digits")}>
          {(props) => (
            <input
              {...props}
              required
              className={`${inputLook} font-mono`}
              value={digits}
              onChange={(e) => setDigits(e.target.value)}
            />
          )}
        </Field>
        <Field label="Calling number" error={problem?.at("body.caller")}>
          {(props) => (
            <input
              {...props}
              className={`${inputLook} font-mono`}
              value={caller}
              onChange={(e) => setCaller(e.target.value)}
            />
          )}
        </Field>
        <Button type="submit" className="col-span-2 justify-self-start" disabled={place.isPending}>
          <PhoneOutgoing className="size-4" aria-hidden="true" /> Place call
        </Button>
      </form>
      {place.data && (
        <p role="status" className="mt-2">
          Placed.{" "}
          <Link to={`/calls/${place.data.call}`} className="text-road underline-offset-2 hover:underline">
            Result
          </Link>
        </p>
      )}
      {problem && problem.places.length === 0 && <Failure error={problem} />}
    </section>
  );
}
