import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, take } from "@/api/client";
import { useTheme } from "@/app/theme";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";

/** Creates the first user, by the link that the program printed when it started. */
export function FirstStart({ onSignedIn }: { onSignedIn: () => void }) {
  useTheme();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const token = window.location.hash.slice(1);
  const create = useMutation({
    mutationFn: () => take(api.POST("/api/first-start", { body: { token, name, password } })),
    onSuccess: onSignedIn,
  });
  const differ = again !== "" && again !== password;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!differ) create.mutate();
  };
  return (
    <main className="grid h-full grid-cols-[1fr_minmax(20rem,28rem)_1fr] content-center">
      <form onSubmit={submit} className="col-start-2 flex flex-col gap-3 border border-line bg-sheet p-6">
        <h1 className="flex items-center gap-2 text-title font-semibold text-road">
          <img src="/mark.svg" alt="" className="size-8" /> Switchback
        </h1>
        <h2 className="font-semibold">Create the first user</h2>
        {token === "" ? (
          <p>Open the whole link that the program printed, including the part after #.</p>
        ) : (
          <>
            <p className="text-soft">The link works once. You are signed in afterwards.</p>
            <Field label="Name">
              {(p) => (
                <input
                  {...p}
                  className={inputLook}
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                  autoComplete="username"
                  required
                />
              )}
            </Field>
            <Field label="Password" hint="at least 12 characters">
              {(p) => (
                <input
                  {...p}
                  type="password"
                  className={inputLook}
                  value={password}
                  onChange={(e) => setPassword(e.target.value)}
                  autoComplete="new-password"
                  minLength={12}
                  required
                />
              )}
            </Field>
            <Field label="Password again" error={differ ? "the two passwords differ" : undefined}>
              {(p) => (
                <input
                  {...p}
                  type="password"
                  className={inputLook}
                  value={again}
                  onChange={(e) => setAgain(e.target.value)}
                  autoComplete="new-password"
                  required
                />
              )}
            </Field>
            {create.isError && <Failure error={create.error} />}
            <Button type="submit" look="main" disabled={create.isPending || differ}>
              Create and sign in
            </Button>
          </>
        )}
      </form>
    </main>
  );
}
