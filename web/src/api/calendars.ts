import { useQuery } from "@tanstack/react-query";
import { api, type Hours, take } from "./client";
import { keys } from "./keys";

/** The live plan's calendars, as they stand. They move by themselves, as time does. */
export const useHours = () =>
  useQuery({
    queryKey: keys.calendars,
    queryFn: () => take(api.GET("/api/calendars")),
    refetchInterval: 20_000,
  });

/** A month of a calendar, while it is edited. */
export const useMonth = (ask: { calendar: Hours; month: string; zone?: string }) =>
  useQuery({
    queryKey: keys.month(ask),
    queryFn: () => take(api.POST("/api/draft/calendar-preview", { body: ask })),
    placeholderData: (before) => before,
    retry: false,
  });

export const useHolidayCountries = () =>
  useQuery({
    queryKey: keys.holidays,
    queryFn: () => take(api.GET("/api/holidays")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Our clock beside others. */
export const useClocks = () =>
  useQuery({ queryKey: keys.clocks, queryFn: () => take(api.GET("/api/clocks")), refetchInterval: 30_000 });
