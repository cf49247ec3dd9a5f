import type { Permission } from "@/api/client";

/** A class that can be permitted; emergency calls always are. */
export type PermittedClass = Permission["class"];

/** The classes of calls, in the order in which they are read. */
export const classes: PermittedClass[] = [
  "internal",
  "service",
  "local",
  "national",
  "mobile",
  "freephone",
  "shared-cost",
  "premium",
  "international",
  "unknown",
];
