import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Plan } from "@/api/client";
import { numbersQuery, useLive } from "@/api/queries";
import { DependentNumbers } from "./DependentNumbers";
import { asTrunk, type Kind, type PlanObject } from "./model";
import { Secrets } from "./Secrets";
import { Users } from "./Users";
import { WirePreview } from "./WirePreview";

interface Props {
  plan: Plan;
  kind: Kind;
  /** As it stands in the draft. */
  saved: PlanObject;
  edited: PlanObject;
}

/** What belongs to an object without being its settings: who uses it, its secrets, what it sends. */
export function Beside({ plan, kind, saved, edited }: Props) {
  const isLive = useLive().data?.plan[kind.field]?.some((x: PlanObject) => x.id === saved.id);
  const [trunk, was] = [asTrunk(edited), asTrunk(saved)];
  const isNew = saved.id === "";
  return (
    <aside className="flex flex-col gap-4 overflow-auto border-l border-line bg-sheet p-4" aria-label="Uses">
      {!isNew && <Users kind={kind} id={saved.id} plan={plan} />}
      {!isNew && kind.field === "destinations" && <AnsweredNumbers destination={saved.id} />}
      {!isNew && kind.field === "calendars" && <DependentNumbers calendar={saved.id} />}
      {kind.field === "trunks" && isLive && (
        <Link to={`/trunks/${saved.id}`} className="text-road underline-offset-2 hover:underline">
          Live state
        </Link>
      )}
      {!isNew && was && (
        <Secrets
          trunk={was.id}
          accounts={
            (was.link.sip?.inboundAccounts?.length ?? 0) + (was.link.sip?.outboundAccounts?.length ?? 0)
          }
        />
      )}
      {trunk && was && <WirePreview edited={trunk} saved={was} />}
    </aside>
  );
}

/** How many public numbers a destination answers. */
function AnsweredNumbers({ destination }: { destination: string }) {
  const found = useQuery(numbersQuery({ destination, limit: 1 })).data?.found;
  if (!found) return null;
  return (
    <Link to="/numbers" className="text-road underline-offset-2 hover:underline">
      answers {found} {found === 1 ? "row" : "rows"} of public numbers
    </Link>
  );
}
