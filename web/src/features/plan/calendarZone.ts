import { useHours } from "@/api/calendars";
import type { Hours, Plan } from "@/api/client";

/** The time zone of a calendar: its own, else that of the switches on which the live plan uses it, else that of the first switch. */
export function useCalendarZone(calendar: Hours, plan: Plan): string {
  const used = useHours().data?.find((h) => h.id === calendar.id)?.places[0]?.zone;
  return calendar.timeZone || used || plan.switches[0]?.region.timeZone || "UTC";
}
