import { causeNames, sipPhrases } from "@/api/words.gen";

const phrases: Record<string, string> = sipPhrases;
const names: Record<string, string> = causeNames;

/** A SIP status with its own name, such as 503 Service Unavailable; empty for none. */
export const statusWords = (sip: number) => (sip ? `${sip} ${phrases[sip] ?? ""}`.trim() : "");

/** A Q.850 cause with its own name, such as cause 34 No circuit/channel available; empty for none. */
export const q850Words = (q850: number) => (q850 ? `cause ${q850} ${names[q850] ?? ""}`.trim() : "");

/** Both, side by side: neither is named by the other's table. */
export const causeWords = ({ sip, q850 }: { sip: number; q850: number }) =>
  [statusWords(sip), q850Words(q850)].filter(Boolean).join(", ");
