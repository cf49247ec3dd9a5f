import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useTheme } from "@/app/theme";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure } from "@/ui/feedback";

export function SignIn({ onSignedIn }: { onSignedIn: () => void }) {
  useTheme();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const first = useQuery({
    queryKey: keys.firstStart,
    queryFn: () => take(api.GET("/api/first-start")),
  });
  const signIn = useMutation({
    mutationFn: () => take(api.POST("/api/session", { body: { name, password } })),
    onSuccess: onSignedIn,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    signIn.mutate();
  };
  return (
    <main className="grid h-full grid-cols-[1fr_minmax(20rem,26rem)_1fr] content-center">
      <form onSubmit={submit} className="col-start-2 flex flex-col gap-3 border border-line bg-sheet p-6">
        <h1 className="flex items-center gap-2 text-title font-semibold text-road">
          <img src="/mark.svg" alt="" className="size-8" /> Switchback
        </h1>
        {first.data?.instance && <p className="font-semibold break-words">{first.data.instance}</p>}
        {first.data?.open && <p>No user yet. Open the link that the program printed at its start.</p>}
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
        <Field label="Password">
          {(p) => (
            <input
              {...p}
              type="password"
              className={inputLook}
              value={password}
              onChange={(e) => setPassword(e.target.value)}
              autoComplete="current-password"
              required
            />
          )}
        </Field>
        {signIn.isError && <Failure error={signIn.error} />}
        <Button type="submit" look="main" disabled={signIn.isPending}>
          Sign in
        </Button>
        <p className="flex justify-between gap-3 text-dense break-all text-soft">
          <span>{window.location.host}</span>
          {first.data && <span>version {first.data.version}</span>}
        </p>
      </form>
    </main>
  );
}
