import { ago, useNow } from "@/lib/time";

/** How long ago something was; it goes on counting. */
export function Ago({ at }: { at: string }) {
  const now = useNow();
  return ago(at, now);
}
