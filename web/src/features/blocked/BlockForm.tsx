import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useBehind } from "@/api/queries";
import { Button, Field, inputLook } from "@/ui/controls";
import { Failure, Loading } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";

/** Blocks a source, once it was seen who else sits behind it. */
export function BlockForm() {
  const queries = useQueryClient();
  const [source, setSource] = useState("");
  const [looked, setLooked] = useState("");
  const [hours, setHours] = useState("24");
  const [why, setWhy] = useState("");
  const behind = useBehind(looked);
  const block = useMutation({
    mutationFn: () =>
      take(api.POST("/api/blocked-sources", { body: { source: looked, hours: Number(hours), why } })),
    onSuccess: () => {
      setSource("");
      setLooked("");
      setWhy("");
      queries.invalidateQueries({ queryKey: keys.gate });
    },
  });
  const wrong = behind.error instanceof Problem ? behind.error.message : undefined;
  return (
    <>
      <h2 className="mb-2 text-title font-semibold">Block a source</h2>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          setLooked(source.trim());
        }}
      >
        <Field label="Address or network" error={wrong} hint="Such as 192.0.2.1, or 192.0.2.0/24.">
          {(props) => (
            <input
              {...props}
              required
              className={`${inputLook} font-mono`}
              value={source}
              onChange={(e) => {
                setSource(e.target.value);
                setLooked("");
              }}
            />
          )}
        </Field>
        <Button type="submit" className="self-start">
          Check source
        </Button>
      </form>
      {looked !== "" && behind.isLoading && <Loading what="the source" />}
      {looked !== "" && behind.data && (
        <form
          className="mt-4 flex flex-col gap-2 border-t border-line pt-3"
          onSubmit={(e) => {
            e.preventDefault();
            block.mutate();
          }}
        >
          <h3 className="font-semibold">
            Behind <span className="font-mono">{behind.data.source}</span>
          </h3>
          {behind.data.trunks.length + behind.data.registrations.length + behind.data.calls === 0 &&
          !behind.data.you ? (
            <StateMark tone="good" word="unknown source" />
          ) : (
            <ul className="flex flex-col gap-1">
              {behind.data.you && (
                <li>
                  <StateMark tone="bad" word="your own browser" />
                </li>
              )}
              {behind.data.trunks.map((t) => (
                <li key={t}>
                  <StateMark tone="bad" word={`trunk ${t}`} />
                </li>
              ))}
              {behind.data.registrations.map((r) => (
                <li key={r}>
                  <StateMark tone="bad" word={`registered: ${r}`} />
                </li>
              ))}
              {behind.data.calls > 0 && (
                <li>
                  <StateMark tone="bad" word={`${behind.data.calls} active calls`} />
                </li>
              )}
            </ul>
          )}
          {behind.data.trusted && (
            <p className="text-dense text-soft">
              A trunk trusts this source. Active calls and emergency calls continue.
            </p>
          )}
          <Field label="Duration">
            {(props) => (
              <input
                {...props}
                type="number"
                min={1}
                max={8760}
                required
                className={`${inputLook} font-mono`}
                value={hours}
                onChange={(e) => setHours(e.target.value)}
              />
            )}
          </Field>
          <Field label="Reason">
            {(props) => (
              <input
                {...props}
                required
                maxLength={500}
                className={inputLook}
                value={why}
                onChange={(e) => setWhy(e.target.value)}
              />
            )}
          </Field>
          <Button
            type="submit"
            look="danger"
            className="self-start"
            disabled={block.isPending || behind.data.you}
          >
            Block it
          </Button>
          {block.isError && <Failure error={block.error} />}
        </form>
      )}
    </>
  );
}
