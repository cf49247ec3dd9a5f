import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useDeferredValue } from "react";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { numbersQuery, useSources } from "@/api/queries";
import { Digits } from "@/ui/Digits";
import { groupLook, itemLook } from "./look";

/** What is offered for typed digits: a dry run, the rule that matches, rows of the inventory, calls. */
export function NumberGroup({ number, onGo }: { number: string; onGo: (path: string) => void }) {
  const source = useSources().data?.[0];
  const settled = useDeferredValue(number);
  const dry = useQuery({
    queryKey: keys.dryRun(source?.from ?? "", settled),
    queryFn: () =>
      take(
        api.POST("/api/test-calls", {
          body: { mode: "dry", plan: "live", from: source?.from ?? "", called: settled },
        }),
      ),
    enabled: source !== undefined,
    retry: false,
    staleTime: 10_000,
  });
  const rows = useQuery(numbersQuery({ text: settled.replace(/\D/g, ""), limit: 3 })).data?.rows ?? [];
  const matched = dry.data?.result?.steps.findLast((s) => s.lookedUp?.winner)?.lookedUp;
  const encoded = encodeURIComponent(number);
  return (
    <Command.Group heading="Number" className={groupLook}>
      {source && (
        <Command.Item
          value={`dry ${number}`}
          className={itemLook}
          onSelect={() => onGo(`/test-call?from=${encodeURIComponent(source.from)}&dial=${encoded}`)}
        >
          <span>
            Dry run <Digits number={number} /> from <span className="font-mono">{source.from}</span>
          </span>
          <span className="text-soft">Test call</span>
        </Command.Item>
      )}
      {matched?.winner && (
        <Command.Item
          value={`rule of ${number}`}
          className={itemLook}
          onSelect={() => onGo(`/routing/${matched.table.id}/${matched.winner?.id}`)}
        >
          <span>
            Rule {matched.winner.name} <span className="text-soft">in {matched.table.name}</span>
          </span>
          <span className="text-soft">Routing</span>
        </Command.Item>
      )}
      {rows.map((r) => (
        <Command.Item
          key={r.id}
          value={`row ${r.id}`}
          className={itemLook}
          onSelect={() => onGo(`/numbers/${r.id}`)}
        >
          <span>
            <Digits number={r.number.first} />
            {r.number.last && (
              <>
                {" – "}
                <Digits number={r.number.last} />
              </>
            )}{" "}
            <span className="text-soft">{r.answers}</span>
          </span>
          <span className="text-soft">Numbers</span>
        </Command.Item>
      ))}
      <Command.Item
        value={`calls ${number}`}
        className={itemLook}
        onSelect={() => onGo(`/calls?number=${encoded}`)}
      >
        <span>
          Calls with <Digits number={number} />
        </span>
        <span className="text-soft">Call records</span>
      </Command.Item>
    </Command.Group>
  );
}
