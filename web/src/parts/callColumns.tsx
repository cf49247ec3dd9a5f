import type { Column } from "@/ui/DataTable";
import { Digits } from "@/ui/Digits";

/** What a call that runs and one that is over have in common. */
interface AnyCall {
  trunkIn: string;
  caller: string;
  calledIn: string;
  calledOut: string;
  trunkOut: string;
  attempts?: number;
}

/** Who called whom by which trunks, in the order of the call. */
export function routeColumns<T extends AnyCall>(): Column<T>[] {
  const number = (id: string, head: string, of: (c: T) => string, none = ""): Column<T> => ({
    id,
    head,
    width: "minmax(9rem,1fr)",
    right: true,
    text: of,
    cell: (c) =>
      of(c) ? <Digits className="text-dense" number={of(c)} /> : <span className="text-soft">{none}</span>,
  });
  return [
    {
      id: "in",
      head: "Inbound trunk",
      width: "minmax(7rem,1fr)",
      text: (c) => c.trunkIn,
      cell: (c) => c.trunkIn,
    },
    number("calling", "Calling", (c) => c.caller, "none"),
    number("called-in", "Called in", (c) => c.calledIn, "no digits"),
    number("called-out", "Called out", (c) => c.calledOut),
    {
      id: "out",
      head: "Outbound trunk",
      width: "minmax(7rem,1fr)",
      text: (c) => c.trunkOut,
      cell: (c) => {
        const again = (c.attempts ?? 0) > 1;
        return (
          <span title={again ? `${c.trunkOut}, attempt ${c.attempts}` : c.trunkOut}>
            {c.trunkOut}
            {again && <span className="text-soft"> ({c.attempts})</span>}
          </span>
        );
      },
    },
  ];
}
