import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { api, type Plan, take } from "@/api/client";
import { keys } from "@/api/keys";
import type { components } from "@/api/schema.gen";

type Trunk = Plan["trunks"][number];
export type Advice = components["schemas"]["Advice"];

export const useProfiles = () =>
  useQuery({
    queryKey: keys.profiles,
    queryFn: () => take(api.GET("/api/profiles")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** A trunk beside the profile that it names: where it departs, and what is still to be asked. */
export function useBeside(edited: Trunk | undefined) {
  const trunk = useDeferredValue(edited);
  return useQuery({
    queryKey: keys.profile(trunk),
    queryFn: () => take(api.POST("/api/profile", { body: { trunk: trunk as Trunk } })),
    enabled: !!trunk?.profile,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
  });
}

/** Fills a trunk with the settings of a profile, or of none. */
export const useFill = () =>
  useMutation({
    mutationFn: (body: { trunk: Trunk; choose: string }) => take(api.POST("/api/profile", { body })),
  });
