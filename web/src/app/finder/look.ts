/** The looks of groups and items in the finder. */
export const groupLook =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-caption [&_[cmdk-group-heading]]:text-soft";
export const itemLook =
  "flex cursor-pointer justify-between gap-3 rounded-[3px] px-2 py-1 data-[selected=true]:bg-road-wash";

/** Whether a text holds every word that is looked for. */
export function everyWord(value: string, search: string): boolean {
  const lower = value.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((w) => lower.includes(w));
}

/** The number that is typed, without what only groups its digits; undefined where something else is typed. */
export function numberIn(search: string): string | undefined {
  const text = search.trim();
  if (!/^[+*#(]?[\d*#][\d*#\s().-]*$/.test(text)) return undefined;
  const number = text.replace(/[\s().-]/g, "");
  return number.replace(/\D/g, "").length >= 2 ? number : undefined;
}
