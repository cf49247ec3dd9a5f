import type { OutputUnit, Schema, Validator } from "@cfworker/json-schema";

type PlanSchema = typeof import("../../../../docs/plan.schema.json");

/** What an object of a plan is, by the name of its definition in the plan's JSON Schema. */
export type Definition = keyof PlanSchema["$defs"];

/** What is wrong in an object, by places such as match/called. */
export type Faults = Record<string, string>;

interface Judge {
  schema: PlanSchema;
  validator: Validator;
}

const judges = new Map<Definition, Promise<Judge>>();

/** Judges by the plan's schema, as the server does. Schema and library come with the first form. */
function judgeOf(of: Definition): Promise<Judge> {
  const judge =
    judges.get(of) ??
    Promise.all([import("@cfworker/json-schema"), import("../../../../docs/plan.schema.json")]).then(
      ([library, { default: schema }]) => ({
        schema,
        validator: new library.Validator({ ...refTo(of), $defs: schema.$defs } as Schema, "2020-12", false),
      }),
    );
  judges.set(of, judge);
  return judge;
}

const refTo = (of: Definition) => ({ $ref: `#/$defs/${of}` });

/** The faults of an object. An empty field is no fault here: which must not be empty is for the server to say. */
export async function faultsOf(of: Definition, object: unknown): Promise<Faults> {
  const { schema, validator } = await judgeOf(of);
  // As the object is sent: without what is undefined.
  const { valid, errors } = validator.validate(JSON.parse(JSON.stringify(object)));
  const faults: Faults = {};
  if (valid) return faults;
  for (const e of errors) {
    const said = inWords(e.keyword, wanted(schema, of, e));
    const place = e.instanceLocation.replace(/^#\/?/, "");
    if (said && place && !(place in faults)) faults[place] = said;
  }
  return faults;
}

/** What a keyword asks for. Keywords that only hold others say nothing of their own. */
function inWords(keyword: string, wants: unknown): string | undefined {
  switch (keyword) {
    case "minimum":
      return `At least ${wants}`;
    case "maximum":
      return `At most ${wants}`;
    case "minLength":
      return wants === 1 ? "Required" : `At least ${wants} characters`;
    case "maxLength":
      return `At most ${wants} characters`;
    case "maxItems":
      return `At most ${wants} entries`;
    case "minItems":
      return `At least ${wants} ${wants === 1 ? "entry" : "entries"}`;
    case "enum":
      return `One of ${(wants as string[]).filter(Boolean).join(", ")}`;
    case "pattern":
      return "Not in the expected form";
    case "type":
      return wants === "integer" ? "A whole number" : undefined;
    default:
      return undefined;
  }
}

/** The value of the keyword that an error tells of, as the schema has it. */
function wanted(schema: PlanSchema, of: Definition, e: OutputUnit): unknown {
  let at: unknown = refTo(of);
  for (const key of e.keywordLocation.replace(/^#\/?/, "").split("/")) {
    const ref = (at as { $ref?: string } | undefined)?.$ref;
    // A reference leads to its definition, in which the location goes on.
    if (key === "$ref" && ref) at = schema.$defs[ref.replace("#/$defs/", "") as Definition];
    else at = (at as Record<string, unknown> | undefined)?.[key];
  }
  return at;
}
