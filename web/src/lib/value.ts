import { hashKey } from "@tanstack/react-query";

/** Reads and writes values deep in an object by a place, such as sip/address. */

export type Value = string | number | boolean | string[] | number[] | undefined;

export function get(object: object, place: string): Value {
  let at: unknown = object;
  for (const key of place.split("/")) {
    if (typeof at !== "object" || at === null) return undefined;
    at = (at as Record<string, unknown>)[key];
  }
  return at as Value;
}

/** The object with a value at a place; what is empty is left out, as in a plan document. */
export function put<T extends object>(object: T, place: string, value: unknown): T {
  const [key = "", ...rest] = place.split("/");
  const inner = (object as Record<string, unknown>)[key];
  const next = rest.length === 0 ? value : put((inner ?? {}) as object, rest.join("/"), value);
  const copy: Record<string, unknown> = { ...object, [key]: next };
  if (isEmpty(next)) delete copy[key];
  return copy as T;
}

export const isEmpty = (v: unknown): boolean =>
  v === undefined || v === "" || (Array.isArray(v) && v.length === 0);

/** Whether two values say the same, in whatever order their fields stand. */
export const same = (a: unknown, b: unknown): boolean => hashKey([a]) === hashKey([b]);

const isObject = (v: unknown): v is Record<string, unknown> =>
  typeof v === "object" && v !== null && !Array.isArray(v);

/**
 * The changes from one value to another, made on a third: what an answer changed in the question,
 * where the question was edited while the answer was on its way.
 */
export function rebase<T>(was: T, is: T, onto: T): T {
  if (same(was, is)) return onto;
  if (!isObject(was) || !isObject(is) || !isObject(onto)) return is;
  const out: Record<string, unknown> = { ...onto };
  for (const key of new Set([...Object.keys(was), ...Object.keys(is)])) {
    const next = rebase<unknown>(was[key], is[key], onto[key]);
    if (next === undefined) delete out[key];
    else out[key] = next;
  }
  return out as T;
}

/** An id made of a name: small letters, digits and hyphens, 63 at most. */
export function idOf(name: string): string {
  return name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "") // accents go, their letters stay
    .replaceAll("ß", "ss")
    .replaceAll("ø", "o")
    .replaceAll("Ø", "O")
    .replaceAll("æ", "ae")
    .replaceAll("ł", "l")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63)
    .replace(/-+$/, "");
}

/** An id made of a name that none of a list has; a name that makes none gets that of its kind. */
export function freeID(name: string, kind: string, taken: { id: string }[]): string {
  if (name.trim() === "") return "";
  const wanted = idOf(name) || idOf(kind);
  const has = (id: string) => taken.some((x) => x.id === id);
  for (let n = 1; ; n++) {
    const id = n === 1 ? wanted : `${wanted.slice(0, 60 - String(n).length)}-${n}`;
    if (!has(id)) return id;
  }
}

/** A value in words, for saying what it was. */
export function inWords(v: unknown): string {
  if (isEmpty(v)) return "empty";
  if (typeof v === "boolean") return v ? "yes" : "no";
  if (Array.isArray(v))
    return v.map((x) => (typeof x === "object" ? JSON.stringify(x) : String(x))).join(", ");
  return typeof v === "object" ? JSON.stringify(v) : String(v);
}

/** The places at which two objects differ; a list differs as a whole. */
export function differences(a: unknown, b: unknown, at = ""): string[] {
  if (same(a, b)) return [];
  if (!isObject(a) && !isObject(b)) return [at];
  if (!(isObject(a) || a === undefined) || !(isObject(b) || b === undefined)) return [at];
  const [x, y] = [a ?? {}, b ?? {}] as Record<string, unknown>[];
  return [...new Set([...Object.keys(x ?? {}), ...Object.keys(y ?? {})])].flatMap((k) =>
    differences(x?.[k], y?.[k], at ? `${at}/${k}` : k),
  );
}
