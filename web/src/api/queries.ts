import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useCallback } from "react";
import {
  api,
  type CallSearch,
  type CollectAsk,
  type Mapping,
  type NameableKind,
  type NumberAsk,
  type Plan,
  type PublicNumber,
  type Rule,
  type Try,
  type TryAsk,
  take,
  type UsedKind,
} from "./client";
import { useConnected } from "./events";
import { keys } from "./keys";

/** Without events, what moves by itself is asked for now and then. */
const asked = 3000;

/** How often to ask for something that events tell of. */
const useAsking = () => (useConnected() ? false : asked);

/** How often to ask for something of which events tell only a part: the rest moves as time does. */
const useAskingSlowly = () => (useConnected() ? 10_000 : asked);

export const useSession = () =>
  useQuery({
    queryKey: keys.session,
    queryFn: () => take(api.GET("/api/session")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useNetwork = () =>
  useQuery({
    queryKey: keys.network,
    queryFn: () => take(api.GET("/api/network")),
    refetchInterval: useAsking(),
  });

/**
 * The time zone in which times are told: that of a switch. Without a switch it is the one that all
 * have, or undefined, which is that of the browser, where they have several.
 */
export function useZone(): (id?: string) => string | undefined {
  const switches = useNetwork().data?.switches;
  return useCallback(
    (id) => {
      const zones = new Set(switches?.filter((s) => !id || s.id === id).map((s) => s.timeZone));
      return zones.size === 1 ? [...zones][0] || undefined : undefined;
    },
    [switches],
  );
}

/** All that is known of a trunk. It moves by itself, as time does. */
export const useTrunk = (id: string) =>
  useQuery({
    queryKey: keys.trunk(id),
    queryFn: () => take(api.GET("/api/trunks/{id}", { params: { path: { id } } })),
    refetchInterval: useAskingSlowly(),
    placeholderData: (before) => (before?.id === id ? before : undefined),
  });

/** Who is blocked, and who fails. */
export const useGate = (find: string, from: number) =>
  useQuery({
    queryKey: keys.gateList(find, from),
    queryFn: () => take(api.GET("/api/blocked-sources", { params: { query: { find, from } } })),
    refetchInterval: useAskingSlowly(),
    placeholderData: keepPreviousData,
  });

/** Who sits behind an address or a network. */
export const useBehind = (source: string) =>
  useQuery({
    queryKey: keys.behind(source),
    queryFn: () => take(api.GET("/api/blocked-sources/behind", { params: { query: { source } } })),
    enabled: source !== "",
    retry: false,
  });

/** The calls that run now. */
export const useRunning = () =>
  useQuery({
    queryKey: keys.running,
    queryFn: () => take(api.GET("/api/active-calls")),
    refetchInterval: useAsking(),
  });

export const useDraft = () => useQuery({ queryKey: keys.draft, queryFn: () => take(api.GET("/api/draft")) });

/** The plan that carries calls. */
export const useLive = () => useQuery({ queryKey: keys.live, queryFn: () => take(api.GET("/api/live")) });

/** How objects of the plan are edited: it changes with the program alone. */
export const useEditors = () =>
  useQuery({
    queryKey: keys.editors,
    queryFn: () => take(api.GET("/api/editors")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What names the objects of a kind in the draft; with an id, its users one by one. */
export const useUsers = (kind: UsedKind, id?: string) =>
  useQuery({
    queryKey: keys.ofDraft("users", kind, id ?? ""),
    queryFn: () => take(api.GET("/api/draft/users", { params: { query: { kind, id } } })),
  });

/** What the settings of an object can name, by their places. */
export const useNameable = (kind: NameableKind, id: string, onSwitch?: string) =>
  useQuery({
    queryKey: keys.ofDraft("nameable", kind, id, onSwitch ?? ""),
    queryFn: () =>
      take(api.GET("/api/draft/nameable", { params: { query: { kind, id, switch: onSwitch } } })),
    placeholderData: (before) => before,
  });

/** The states in which the calendars of the draft can be, by their ids. */
export const useCalendarStates = () =>
  useQuery({
    queryKey: keys.ofDraft("calendar-states"),
    queryFn: () => take(api.GET("/api/draft/calendar-states")),
  });

type Kind =
  | "switches"
  | "farEnds"
  | "trunks"
  | "paths"
  | "destinations"
  | "callerGroups"
  | "calendars"
  | "checks";
type PlanObject = NonNullable<Plan[Kind]>[number];

/** The resource of a kind in the API: its list in the plan, in the words of a path. */
const resourceOf = (kind: Kind) => kind.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);

/** Writes an object of a kind into the draft, or asks what that would bring; without was it is new. */
export const putObject = (
  kind: Kind,
  body: { is: PlanObject; was?: PlanObject; before?: string },
  query: { try?: boolean } = {},
) =>
  // The paths differ by nothing but the kind, which the description of the API cannot say.
  take(
    api.PUT(`/api/draft/${resourceOf(kind)}/{id}` as "/api/draft/trunks/{id}", {
      params: { path: { id: body.is.id }, query },
      body: body as never,
    }),
  );

/** Puts a caller group before another, or behind all. */
export const moveGroup = (id: string, before: string) =>
  take(api.POST("/api/draft/caller-groups/{id}/move", { params: { path: { id } }, body: { before } }));

/** Takes an object of a kind out of the draft. */
export const deleteObject = (kind: Kind, id: string) =>
  take(
    api.DELETE(`/api/draft/${resourceOf(kind)}/{id}` as "/api/draft/trunks/{id}", {
      params: { path: { id } },
    }),
  );

/** The public numbers whose calls depend on a calendar of the draft. */
export const useDependentNumbers = (calendar: string) =>
  useQuery({
    queryKey: keys.ofDraft("calendar-numbers", calendar),
    queryFn: () => take(api.GET("/api/draft/calendars/{id}/numbers", { params: { path: { id: calendar } } })),
  });

/** The rules of a draft table in the order in which they are tried, and why. */
export const useOrder = (table: string) =>
  useQuery({
    queryKey: keys.ofDraft("order", table),
    queryFn: () => take(api.GET("/api/draft/tables/{id}/order", { params: { path: { id: table } } })),
  });

/** How often the rules of a table matched. */
export const useRuleMatches = (table: string) =>
  useQuery({
    queryKey: keys.matches(table),
    queryFn: () => take(api.GET("/api/tables/{id}/rule-matches", { params: { path: { id: table } } })),
    refetchInterval: 10_000,
  });

/** What is worth a look in a draft table, each with a number as witness. */
export const useFindings = (table: string) =>
  useQuery({
    queryKey: keys.ofDraft("findings", table),
    queryFn: () => take(api.GET("/api/draft/tables/{id}/findings", { params: { path: { id: table } } })),
    retry: false,
  });

/** What a rule would do where it stands, while it is edited. */
export const useEffectOf = (table: string, rule: Rule) =>
  useQuery({
    queryKey: keys.ofDraft("effect", table, rule),
    queryFn: () => take(api.POST("/api/draft/effect", { body: { table, rule } })),
    enabled: Object.keys(rule.then).length > 0,
    placeholderData: (before) => before,
    retry: false,
  });

/** Extensions that a prefix or a rule of the draft keeps from being dialled. */
export const useHidden = () =>
  useQuery({
    queryKey: keys.ofDraft("hidden"),
    queryFn: () => take(api.GET("/api/draft/hidden-destinations")),
    retry: false,
  });

/** Who is in no caller group of the draft. */
export const useCallers = () =>
  useQuery({
    queryKey: keys.ofDraft("callers"),
    queryFn: () => take(api.GET("/api/draft/caller-group-findings")),
    retry: false,
  });

/** Checks with their states. */
export const useChecks = () =>
  useQuery({
    queryKey: keys.ofDraft("checks"),
    queryFn: () => take(api.GET("/api/checks")),
    staleTime: 0, // somebody's run is no change of the draft
  });

/** What the switch does after the digits typed so far. */
export const collectionQuery = (ask: CollectAsk) => ({
  queryKey: keys.ofDraft("collect", ask),
  queryFn: () => take(api.POST("/api/collected-digits", { body: ask })),
  enabled: ask.from !== "",
  retry: false as const,
});

export const useCollection = (ask: CollectAsk) =>
  useQuery({ ...collectionQuery(ask), placeholderData: (before) => before });

/** Where the draft differs from live. Edits and events say when to read it again. */
export const useChanges = () =>
  useQuery({ queryKey: keys.changes, queryFn: () => take(api.GET("/api/changes")), staleTime: asked });

export const useRevisions = () =>
  useQuery({ queryKey: keys.revisions, queryFn: () => take(api.GET("/api/revisions")) });

export const useComparison = (revision: number) =>
  useQuery({
    queryKey: keys.changesOf(revision),
    queryFn: () => take(api.GET("/api/revisions/{id}/changes", { params: { path: { id: revision } } })),
  });

/** How many calls are read at once, and how many pages are read again when calls come. */
const callPage = 200;
const freshPages = 2;

/** The calls that are searched for, newest first, page by page. */
export const useCalls = (search: CallSearch) =>
  useInfiniteQuery({
    queryKey: keys.callList(search),
    queryFn: ({ pageParam }) =>
      take(api.GET("/api/calls", { params: { query: { ...search, after: pageParam, limit: callPage } } })),
    initialPageParam: "",
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
    refetchInterval: useAsking(),
    // Whoever has gone far back reads on where they are.
    enabled: (q) => (q.state.data?.pages.length ?? 0) <= freshPages,
    retry: false,
  });

/** How many calls began over time. */
export const useCallVolume = (search: CallSearch) =>
  useQuery({
    queryKey: keys.callVolume(search),
    queryFn: () => take(api.GET("/api/call-volume", { params: { query: search } })),
    placeholderData: keepPreviousData,
    refetchInterval: 30_000,
    retry: false,
  });

/** Whether any call was recorded yet. */
export const useAnyCall = () =>
  useQuery({
    queryKey: keys.callList("any"),
    queryFn: async () =>
      (await take(api.GET("/api/calls", { params: { query: { limit: 1 } } }))).calls.length > 0,
    refetchInterval: useAsking(),
  });

export const useCall = (id: string) =>
  useQuery({
    queryKey: keys.call(id),
    queryFn: () => take(api.GET("/api/calls/{id}", { params: { path: { id } } })),
    refetchInterval: useAsking(),
  });

export const useSources = () =>
  useQuery({ queryKey: keys.sources, queryFn: () => take(api.GET("/api/sources")) });

export const useStandIns = () =>
  useQuery({
    queryKey: keys.standIns,
    queryFn: () => take(api.GET("/api/stand-ins")),
    refetchInterval: useAskingSlowly(), // their lamps tell of nothing
  });

export const usePattern = (pattern: string, numbers: string[]) =>
  useQuery({
    queryKey: keys.pattern(pattern, numbers),
    queryFn: () => take(api.POST("/api/patterns", { body: { pattern, numbers } })),
    enabled: pattern !== "",
    placeholderData: (before) => before,
  });

export const useSteps = (ask: {
  switch: string;
  number: string;
  format?: string;
  steps: Rule["calledSteps"];
}) =>
  useQuery({
    queryKey: keys.steps(ask),
    queryFn: () => take(api.POST("/api/steps", { body: { ...ask, steps: ask.steps ?? [] } })),
    enabled: (ask.steps ?? []).length > 0 && ask.number !== "",
    placeholderData: (before) => before,
    retry: false,
  });

/** Runs an edit of the draft and reads again what it may have changed. */
export function useDraftEdit<In, Out>(edit: (input: In) => Promise<Out>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: edit,
    onSuccess: () => {
      // What is worked out from the draft may take its time in large plans: nobody waits for it.
      queries.invalidateQueries({ queryKey: keys.draft, predicate: (q) => q.queryKey.length > 1 });
      return Promise.all(
        [keys.draft, keys.changes, keys.revisions, keys.network, keys.sources].map((queryKey) =>
          queries.invalidateQueries({ queryKey, exact: queryKey === keys.draft }),
        ),
      );
    },
  });
}

/** Follows a live test call until it is over. */
export const useTry = (started: Try | undefined) => {
  const id = started?.id ?? "";
  return useQuery({
    queryKey: keys.tried(id),
    queryFn: () => take(api.GET("/api/test-calls/{id}", { params: { path: { id } } })),
    enabled: id !== "",
    initialData: started,
    staleTime: 0,
    refetchInterval: (q) => (q.state.data?.state === "running" ? 250 : false),
  });
};

export const startTry = (body: TryAsk) => take(api.POST("/api/test-calls", { body }));

/** Some hundred rows of what is found in the draft's inventory. */
export const numbersQuery = (ask: NumberAsk) => ({
  queryKey: keys.ofDraft("numbers", ask),
  queryFn: () => take(api.GET("/api/draft/numbers", { params: { query: ask } })),
});

/** The inventory in figures, and what calls taught of it. */
export const useNumbersSummary = () =>
  useQuery({
    queryKey: keys.ofDraft("numbers-summary"),
    queryFn: () => take(api.GET("/api/draft/numbers-summary")),
    refetchInterval: 10_000, // calls teach without telling
  });

export const useNumber = (id: string) =>
  useQuery({
    queryKey: keys.ofDraft("number", id),
    queryFn: () => take(api.GET("/api/draft/numbers/{id}", { params: { path: { id } } })),
    enabled: id !== "" && id !== "new",
    retry: false,
  });

/** What a row of the inventory would do, while it is edited. */
export const useNumberEffect = (look: { is: PublicNumber; was?: PublicNumber; member?: string }) =>
  useQuery({
    queryKey: keys.ofDraft("numbers-effect", look),
    queryFn: () => take(api.POST("/api/draft/numbers-effect", { body: look })),
    enabled: look.is.first !== "",
    placeholderData: (before) => before,
    retry: false,
  });

/** What a mapping of a block comes to, and the arithmetic that is right. */
export const useMapping = (mapping: Mapping) =>
  useQuery({
    queryKey: keys.ofDraft("mapping", mapping),
    queryFn: () => take(api.POST("/api/draft/mapping", { body: mapping })),
    enabled: mapping.destination !== "" && (mapping.steps?.length ?? 0) > 0,
    placeholderData: (before) => before,
    retry: false,
  });

/** The plan that is tried on some calls, if there is one. */
export const useTrial = () =>
  useQuery({
    queryKey: keys.trial,
    queryFn: () => take(api.GET("/api/trial")),
    refetchInterval: useAsking() || 5000,
  });

/** What a rule makes of a public number in each form in which a carrier may send it. */
export const useRuleMapping = (ask: { table: string; rule: Rule }) =>
  useQuery({
    queryKey: keys.ofDraft("rule-mapping", ask),
    queryFn: () => take(api.POST("/api/draft/rule-mapping", { body: ask })),
    enabled: Object.keys(ask.rule.then).length > 0,
    placeholderData: (before) => before,
    retry: false,
  });

export const useRuleArrivals = (ask: { table: string; rule: Rule; number?: string }) =>
  useQuery({
    queryKey: keys.ofDraft("rule-arrivals", ask),
    queryFn: () => take(api.POST("/api/draft/rule-arrivals", { body: ask })),
    enabled: Object.keys(ask.rule.then).length > 0,
    placeholderData: (before) => before,
    retry: false,
  });
