import { parsePhoneNumberFromString } from "libphonenumber-js/min";

/** How many groupings are remembered, so that a table that is scrolled computes each once. */
const most = 5000;
const known = new Map<string, string[]>();

/**
 * The digits of a number in E.164 format (+), in the groups in which its country writes them
 * (ITU-T E.123; patterns from the library's metadata). Other numbers stay in one group.
 */
export function groupsOf(number: string): string[] {
  if (!/^\+\d{5,15}$/.test(number)) return [number];
  let groups = known.get(number);
  if (!groups) {
    const written = parsePhoneNumberFromString(number)?.formatInternational().split(/[\s-]/) ?? [];
    groups = written.join("") === number ? written : [number];
    if (known.size >= most) known.clear();
    known.set(number, groups);
  }
  return groups;
}
