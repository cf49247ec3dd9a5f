import type { ReactNode } from "react";
import { useNavigate } from "react-router";
import type { CallSummary } from "@/api/client";
import { NumberTiles } from "@/ui/Tiles";

/** A row of a list of calls; it opens the call, by mouse or by Enter. */
export function OpensCall({ id, children }: { id: string; children: ReactNode }) {
  const navigate = useNavigate();
  const open = () => navigate(`/calls/${id}`);
  return (
    <tr
      data-row
      tabIndex={0}
      onClick={open}
      onKeyDown={(e) => e.key === "Enter" && open()}
      className="cursor-pointer border-b border-line hover:bg-road-wash focus:bg-road-wash [&>td]:px-3 [&>td]:py-1"
    >
      {children}
    </tr>
  );
}

/** From whom the call came, what was dialled, and how it left. */
export function CallCells({ call, notLeft }: { call: CallSummary; notLeft: string }) {
  return (
    <>
      <td className="max-w-40 truncate">{call.trunkIn}</td>
      <td className="font-mono">{call.caller || <span className="font-sans text-soft italic">none</span>}</td>
      <td>
        <NumberTiles number={call.calledIn} size="sm" />
      </td>
      <td>
        {call.calledOut ? (
          <NumberTiles number={call.calledOut} size="sm" />
        ) : (
          <span className="text-soft">{notLeft}</span>
        )}
      </td>
    </>
  );
}
