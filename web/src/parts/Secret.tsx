import { useMutation, useQueryClient } from "@tanstack/react-query";
import { KeyRound } from "lucide-react";
import { useState } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

interface Props {
  trunk: string;
  side: "inbound" | "outbound";
  /** The id and the user of the account. */
  id: string;
  user: string;
  /** Whether a secret is set. */
  set: boolean;
}

/** Sets the secret of an account. One of theirs can be made here; it is shown once. */
export function Secret({ trunk, side, id, user, set: isSet }: Props) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const set = useMutation({
    mutationFn: (secret: string) =>
      take(
        api.PUT("/api/trunks/{id}/secrets/{side}/{account}", {
          params: { path: { id: trunk, side, account: id } },
          body: { secret },
        }),
      ),
    onSuccess: () => {
      setTyped("");
      queries.invalidateQueries({ queryKey: keys.network });
      queries.invalidateQueries({ queryKey: keys.secrets(trunk) });
    },
  });
  if (!open) {
    return (
      <div className="mt-1 flex items-center gap-2 text-dense">
        <StateMark tone={isSet ? "good" : "bad"} word={isSet ? "secret set" : "no secret"} />
        <Button look="bare" className="h-7" onClick={() => setOpen(true)}>
          <KeyRound className="size-4" aria-hidden="true" /> {isSet ? "Change" : "Set"}
        </Button>
      </div>
    );
  }
  return (
    <form
      className="mt-1 flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate(typed);
      }}
    >
      <Field
        label={`Secret of ${user}`}
        hint={side === "inbound" ? "Empty: generated." : "The secret given by the far end."}
      >
        {(props) => (
          <input
            {...props}
            type="password"
            autoComplete="new-password"
            className={inputLook}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        )}
      </Field>
      <div className="flex gap-2">
        <Button type="submit" look="main" disabled={set.isPending}>
          {typed === "" && side === "inbound" ? "Generate" : "Set"}
        </Button>
        <Button
          onClick={() => {
            setOpen(false);
            set.reset();
          }}
        >
          Close
        </Button>
      </div>
      {set.isError && <Failure error={set.error} />}
      {set.data && (
        <p role="status" className="rounded-[3px] bg-added-wash p-2 text-dense">
          Effective now, shown once: <code className="font-mono break-all text-ink">{set.data.secret}</code>
        </p>
      )}
    </form>
  );
}
