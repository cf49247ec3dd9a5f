import type { StandIn, TrunkDetail } from "@/api/client";
import { ago } from "@/lib/time";

/** What the far end may do beside calling, and the lamps that go by it. */
export function Services({ trunk, standIn }: { trunk: TrunkDetail; standIn?: StandIn }) {
  const may = rights(trunk);
  return (
    <section className="border-b border-line p-4" aria-label="Services">
      <h3 className="mb-1 font-semibold">Services</h3>
      {may.length === 0 ? (
        <p className="text-soft">They may make and take calls, and nothing else.</p>
      ) : (
        <ul className="flex list-disc flex-col gap-0.5 pl-4">
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

/** Each thing that the plan lets it do, in a sentence. */
function rights({ services, servicesTable: sentOn }: TrunkDetail): string[] {
  const out: string[] = [];
  if (services.forwarding) out.push(`They may divert calls; table ${sentOn} decides where to.`);
  if (services.transfer) out.push(`They may transfer calls; table ${sentOn} decides where to.`);
  if (services.forwarding || services.transfer)
    out.push(
      services.trunkToTrunk
        ? "They may join two outside parties, at our cost."
        : "They may not join two outside parties.",
    );
  if (services.replaces) out.push("They may take over calls of their own (Replaces).");
  if (services.redirecting)
    out.push(`They are told who diverted a call, by ${redirecting[services.redirecting]}.`);
  if (services.mwiAccept) out.push("They may say that messages wait.");
  if (services.blf) out.push("They are told when messages wait for their extensions.");
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
    <table className="mt-2 w-full text-left text-[13px] [&_td]:py-0.5 [&_td]:pr-2 [&_th]:font-normal [&_th]:text-soft">
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
