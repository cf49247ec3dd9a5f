import { useMutation, useQueryClient } from "@tanstack/react-query";
import { KeyRound } from "lucide-react";
import { useState } from "react";
import { type AccountState, api, type TrunkDetail, take } from "@/api/client";
import { clock } from "@/lib/time";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";
import { StateMark, type Tone } from "@/ui/StateMark";

/** The accounts by which one side proves itself to the other. */
export function Accounts({ trunk }: { trunk: TrunkDetail }) {
  if (trunk.accounts.length === 0) return null;
  return (
    <section className="border-b border-line p-4" aria-label="Accounts">
      <h3 className="mb-1 font-semibold">Accounts</h3>
      <ul className="flex flex-col gap-3">
        {trunk.accounts.map((a) => (
          <Account key={`${a.side} ${a.id}`} trunk={trunk.id} account={a} />
        ))}
      </ul>
    </section>
  );
}

const looks: Record<string, { tone: Tone; word: string }> = {
  registered: { tone: "good", word: "registered" },
  trying: { tone: "soft", word: "REGISTER sent, no answer yet" },
  refused: { tone: "bad", word: "refused" },
  silent: { tone: "bad", word: "no answer" },
  absent: { tone: "bad", word: "not registered" },
  unused: { tone: "soft", word: "proves calls, does not register" },
};

function Account({ trunk, account: a }: { trunk: string; account: AccountState }) {
  const look = looks[a.state] ?? { tone: "soft", word: a.state };
  return (
    <li>
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="font-mono break-all">{a.user}</span>
        <span className="text-[13px] text-soft">
          {a.side === "theirs" ? "theirs, with us" : "ours, with them"}
          {a.number && `, for ${a.number}`}
          {a.port && `, ${a.port}`}
        </span>
      </div>
      <StateMark {...look} />
      {a.until && a.state === "registered" && (
        <span className="ml-2 text-[13px] text-soft">
          until {clock(a.until)}
          {a.server && (
            <>
              , at <span className="font-mono">{a.server}</span>
            </>
          )}
        </span>
      )}
      {a.evidence && <div className="text-[13px] text-soft">{a.evidence}</div>}
      {a.next && a.state !== "registered" && (
        <div className="text-[13px] text-soft">next try at {clock(a.next)}</div>
      )}
      {a.contacts.map((c) => (
        <div key={c.uri} className="text-[13px] text-soft">
          <span className="font-mono break-all text-ink">{c.uri}</span> by {c.by} from{" "}
          <span className="font-mono">{c.source}</span>
          {c.agent && `, ${c.agent}`}
        </div>
      ))}
      <Secret trunk={trunk} account={a} />
    </li>
  );
}

/** Sets the secret of an account. One of theirs can be made here; it is shown once. */
function Secret({ trunk, account: a }: { trunk: string; account: AccountState }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const set = useMutation({
    mutationFn: (secret: string) =>
      take(
        api.PUT("/api/trunks/{id}/secrets/{side}/{account}", {
          params: { path: { id: trunk, side: a.side, account: a.id } },
          body: { secret },
        }),
      ),
    onSuccess: () => {
      setTyped("");
      queries.invalidateQueries({ queryKey: ["network"] });
    },
  });
  if (!open) {
    return (
      <div className="mt-1 flex items-center gap-2 text-[13px]">
        <StateMark tone={a.secret ? "good" : "bad"} word={a.secret ? "secret set" : "no secret is set"} />
        <Button look="bare" className="h-7" onClick={() => setOpen(true)}>
          <KeyRound className="size-4" aria-hidden="true" /> {a.secret ? "Change" : "Set"}
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
        label={`Secret of ${a.user}`}
        hint={a.side === "theirs" ? "Leave it empty to have one made." : "As the far end gave it to us."}
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
          {typed === "" && a.side === "theirs" ? "Make one" : "Set"}
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
        <p role="status" className="rounded-[3px] bg-added-wash p-2 text-[13px]">
          It holds from now on, and is shown this once:{" "}
          <code className="font-mono break-all text-ink">{set.data.secret}</code>
        </p>
      )}
    </form>
  );
}
