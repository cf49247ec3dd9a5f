import type { CheckState, Plan } from "@/api/client";

type Difference = CheckState["differences"][number];

const whats: Record<Difference["what"], string> = {
  from: "source",
  suppose: "condition",
  outcome: "result",
  trunk: "outbound trunk",
  called: "called number",
  caller: "calling number",
  cause: "cause",
};

/** One value in which a check came out otherwise than expected, in the words of the views. */
export function differenceIn(d: Difference, plan?: Plan): Record<"what" | "expected" | "actual", string> {
  const said = (value: string) => {
    if (d.what === "trunk") return plan?.trunks.find((t) => t.id === value)?.name ?? value;
    return d.what === "outcome" && value === "refused" ? "rejected" : value;
  };
  return { what: whats[d.what], expected: said(d.expected), actual: said(d.actual) || "none" };
}
