import { useQuery } from "@tanstack/react-query";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { Secret } from "@/parts/Secret";
import { Failure } from "@/ui/feedback";

/** The secrets of the accounts of a trunk that the draft has, live or not. They are never in the plan. */
export function Secrets({ trunk, accounts }: { trunk: string; accounts: number }) {
  const list = useQuery({
    queryKey: keys.secrets(trunk, accounts),
    queryFn: () => take(api.GET("/api/draft/trunks/{id}/secrets", { params: { path: { id: trunk } } })),
    enabled: accounts > 0,
  });
  if (accounts === 0) return null;
  return (
    <section aria-label="Secrets">
      <h2 className="font-semibold">Secrets</h2>
      <p className="text-dense text-soft">Secrets are stored apart from the plan and take effect at once.</p>
      {list.isError && <Failure error={list.error} />}
      <ul className="mt-1 flex flex-col gap-2">
        {list.data?.map((a) => (
          <li key={`${a.side} ${a.id}`}>
            <span className="font-mono break-all">{a.user}</span>{" "}
            <span className="text-dense text-soft">{a.side === "inbound" ? "inbound" : "outbound"}</span>
            <Secret trunk={trunk} side={a.side} id={a.id} user={a.user} set={a.set} />
          </li>
        ))}
      </ul>
    </section>
  );
}
