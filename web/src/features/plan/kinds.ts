import { useEditors } from "@/api/queries";
import type { Kind, KindName } from "./model";

/** The kinds of object that can be edited, with their settings; none while they are read. */
export const useKinds = (): Kind[] => (useEditors().data as Kind[] | undefined) ?? [];

export const useKind = (field: KindName): Kind | undefined => useKinds().find((k) => k.field === field);
