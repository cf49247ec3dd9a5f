import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type Network = Schemas["Network"];
export type RunningSwitch = Schemas["RunningSwitch"];
export type RunningTrunk = Schemas["RunningTrunk"];
export type TrunkDetail = Schemas["TrunkDetail"];
export type AccountState = Schemas["AccountState"];
export type Span = Schemas["Span"];
export type BlockedSourcesView = Schemas["BlockedSources"];
export type Plan = Schemas["Plan"];
export type ObjectSaved = Schemas["ObjectSaved"];
export type Table = Schemas["Table"];
export type Rule = Schemas["Rule"];
export type DigitStep = Schemas["DigitStep"];
export type Placed = Schemas["Placed"];
export type Then = Schemas["Then"];
export type Run = Schemas["Run"];
export type TrailStep = Schemas["TrailStep"];
export type Rewrote = Schemas["Rewrote"];
export type Written = Schemas["Written"];
export type Lost = Schemas["Lost"];
export type Cause = Schemas["Cause"];
export type Ladder = Schemas["Ladder"];
export type Arrow = Schemas["Arrow"];
export type Try = Schemas["Test"];
export type TryAsk = Schemas["TestAsk"];
export type CallSummary = Schemas["Summary"];
export type CallPage = Schemas["CallPage"];
export type CallSearch = NonNullable<paths["/api/calls"]["get"]["parameters"]["query"]>;
export type RunningCall = Schemas["RunningCall"];
export type Imported = Schemas["Imported"];
export type CallDetail = Schemas["CallDetail"];
export type Change = Schemas["Change"];
export type StandIn = Schemas["StandIn"];
export type PatternEffect = Schemas["PatternEffect"];
export type StepsEffect = Schemas["StepsEffect"];
export type Group = Schemas["CallerGroup"];
export type Permission = Schemas["Permission"];
export type Hours = Schemas["Calendar"];
export type When = Schemas["When"];
export type Check = Schemas["Check"];
export type CheckList = Schemas["CheckList"];
export type CheckState = Schemas["CheckState"];
export type RuleMatches = Schemas["RuleMatches"];
export type Finding = Schemas["Finding"];
export type RuleEffect = Schemas["RuleEffect"];
export type SheetReport = Schemas["SheetReport"];
export type GuideAsk = Schemas["GuideAsk"];
export type GuideProposal = Schemas["GuideProposal"];
export type GuideOutbound = Schemas["GuideOutbound"];
export type CollectAsk = Schemas["CollectAsk"];
export type ListAsk = Schemas["ListAsk"];
export type Collection = Schemas["Collection"];
export type Listed = Schemas["Listed"];
export type PublicNumber = Schemas["Number"];
export type NumbersEdit = Schemas["NumbersEdit"];
export type NumberRow = Schemas["NumberRow"];
export type NumberAsk = NonNullable<paths["/api/draft/numbers"]["get"]["parameters"]["query"]>;
export type NumberEffect = Schemas["NumberEffect"];
export type NumberImport = Schemas["NumberImport"];
export type Mapping = Schemas["InboundMapping"];
export type Mapped = Schemas["InboundMapped"];
export type Arrival = Schemas["InboundArrival"];
/** A kind of object that others can name. */
export type NameableKind = paths["/api/draft/nameable"]["get"]["parameters"]["query"]["kind"];
export type UsedKind = paths["/api/draft/users"]["get"]["parameters"]["query"]["kind"];
export type User = Schemas["User"];
export type EditorKind = Schemas["EditorKind"];
export type EditorSection = Schemas["EditorSection"];
export type EditorSetting = Schemas["EditorSetting"];
export type HoursNow = Schemas["CalendarNow"];
export type HoursDay = Schemas["CalendarDay"];
export type Dated = Schemas["Dated"];
export type Impact = Schemas["Impact"];
export type Trial = Schemas["Trial"];
export type Scope = Schemas["Scope"];
export type CallClass = Permission["class"] | "emergency";
/** What is wrong at a place of a plan. */
export type PlanProblem = Schemas["Problem"];
type ErrorModel = Schemas["ErrorModel"];

export const api = createClient<paths>({ baseUrl: "/" });

/** What went wrong with a request, as a problem document says it (RFC 9457). */
export class Problem extends Error {
  readonly status: number;
  /** What is wrong at which field, for showing it in place. */
  readonly places: { at: string; reason: string }[];

  constructor(status: number, document?: Partial<ErrorModel>) {
    super(document?.detail || document?.title || `the server answered ${status}`);
    this.status = status;
    this.places = (document?.errors ?? []).map((e) => ({
      at: placeOf(e.location ?? ""),
      reason: e.message ?? "",
    }));
  }

  /** The reasons given for one field. */
  at(field: string): string | undefined {
    const found = this.places.filter((p) => p.at === field || p.at.startsWith(`${field}/`));
    return found.length > 0 ? found.map((p) => p.reason).join("; ") : undefined;
  }
}

/** A place in an object; what the schema refuses is told by its place in the request. */
function placeOf(location: string): string {
  if (/^body(\.(is|rule))?$/.test(location)) return "";
  const inBody = location.match(/^body\.(?:is|rule)\.(.*)$/)?.[1];
  return inBody === undefined ? location : inBody.replaceAll(/[.[]/g, "/").replaceAll("]", "");
}

interface Answer<T> {
  data?: T;
  error?: Partial<ErrorModel>;
  response: Response;
}

/** Returns the data of an answer, or throws its Problem. */
export async function take<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer.catch(() => {
    throw new Problem(0, { detail: "Switchback is not reachable. Your input is kept." });
  });
  if (error !== undefined || !response.ok) {
    throw new Problem(response.status, error);
  }
  return data as T;
}

/** Only what may pass by itself is asked again. */
export function retryable(error: unknown): boolean {
  return error instanceof Problem && (error.status === 0 || error.status === 503);
}
