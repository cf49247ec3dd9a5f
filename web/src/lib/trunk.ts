import type { Plan } from "@/api/client";

type Trunk = Plan["trunks"][number];

/** A trunk that trusts one more source of inbound calls. */
export function trusting(trunk: Trunk, source: string): Trunk {
  const { sip } = trunk.link;
  return {
    ...trunk,
    link: { sip: { ...sip, trustedAddresses: [...(sip?.trustedAddresses ?? []), source] } },
  };
}
