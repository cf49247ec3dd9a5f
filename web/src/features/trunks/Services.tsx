import type { StandIn, TrunkDetail } from "@/api/client";
import { ago } from "@/lib/time";

/** What the far end is permitted beside calls, and the lamps that follow it. */
export function Services({ trunk, standIn }: { trunk: TrunkDetail; standIn?: StandIn }) {
  const may = rights(trunk);
  return (
    <section className="border-b border-line p-4" aria-label="Services">
      <h3 className="mb-1 font-semibold">Services</h3>
      {may.length === 0 ? (
        <p className="text-soft">Calls only: no forwarding, transfer, pickup or message waiting.</p>
      ) : (
        <ul className="flex list-disc flex-col gap-1 pl-4">
          {may.map((m) => (
            <li key={m}>{m}</li>
          ))}
        </ul>
      )}
      {trunk.mailboxes.length > 0 && <Mailboxes trunk={trunk} />}
      {standIn && standIn.blf.length > 0 && (
        <p className="mt-2">
          Lamps at the stand-in:{" "}
          {standIn.blf.map((l) => (
            <span key={l.extension} className="mr-3 whitespace-nowrap">
              <span className="font-mono">{l.extension}</span> {l.on ? "◉ lit" : "○ dark"}
            </span>
          ))}
        </p>
      )}
    </section>
  );
}

/** Each service that the plan permits to the far end. */
function rights({ services, servicesTable: table }: TrunkDetail): string[] {
  const out: string[] = [];
  if (services.forwarding) out.push(`Call forwarding, via table ${table}`);
  if (services.transfer) out.push(`Transfer, via table ${table}`);
  if (services.forwarding || services.transfer)
    out.push(`Trunk-to-trunk: ${services.trunkToTrunk ? "permitted, at your cost" : "denied"}`);
  if (services.replaces) out.push("Call pickup and attended transfer (Replaces)");
  if (services.redirecting) out.push(`Redirecting number sent: ${redirecting[services.redirecting]}`);
  if (services.mwiAccept) out.push("Message waiting accepted");
  if (services.blf) out.push("Message waiting sent to its extensions");
  return out;
}

const redirecting = {
  diversion: "Diversion",
  "history-info": "History-Info",
  both: "Diversion and History-Info",
};

/** What was said last of each mailbox, and who was told. */
function Mailboxes({ trunk }: { trunk: TrunkDetail }) {
  return (
    <table className="mt-2 w-full text-left text-dense [&_td]:py-1 [&_td]:pr-2 [&_th]:font-normal [&_th]:text-soft">
      <caption className="sr-only">Messages that wait</caption>
      <thead>
        <tr>
          <th>mailbox</th>
          <th>messages</th>
          <th>told</th>
          <th>when</th>
        </tr>
      </thead>
      <tbody>
        {trunk.mailboxes.map((m) => (
          <tr key={`${m.extension} ${m.from}`} className="border-t border-line align-top">
            <td className="font-mono">{m.extension}</td>
            <td>
              {m.waiting ? "wait" : "none wait"} ({m.new} new, {m.old} old)
            </td>
            <td>
              {m.taken ? (
                `${m.to} took it`
              ) : (
                <span className="text-bad">{[m.to, m.why].filter(Boolean).join(": ")}</span>
              )}
            </td>
            <td className="whitespace-nowrap text-soft">{ago(m.at)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
