import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, type SyntheticEvent, useDeferredValue, useState } from "react";
import { type FieldErrors, type FieldValues, get as pick, useForm } from "react-hook-form";
import { type PlanProblem, Problem } from "@/api/client";
import { keys } from "@/api/keys";
import { useDraftEdit } from "@/api/queries";
import { useSettled } from "@/lib/settled";
import { differences, isEmpty, same } from "@/lib/value";
import { type Definition, faultsOf } from "./schema";

/** What a save brings with it. */
export interface Saved {
  id: string;
  /** What is wrong in other objects since. */
  elsewhere?: PlanProblem[];
}

interface Body<T> {
  is: T;
  /** As the edit found it; without it the object is new. */
  was?: T;
}

interface Options<T> {
  /** As it stands in the draft; of a new one, what it begins with. */
  object: T;
  isNew: boolean;
  /** By which part of the plan's schema it is judged. */
  definition: Definition;
  /** Saves it, or asks what the save would bring. */
  put: (body: Body<T>, asked: { try: boolean }) => Promise<Saved>;
  onSaved: (saved: Saved) => void;
  /** What shows the fields that are wrong, if they are hidden. */
  onRefused?: () => void;
}

/** One edit of one object of the draft. */
export interface Edit<T> {
  value: T;
  dirty: boolean;
  isNew: boolean;
  /** Sets a value by its place, such as match/called; what is empty is left out. */
  set: (place: string, value: unknown) => void;
  /** Puts another object in its place, made of the one that stands. */
  replace: (next: (now: T) => T) => void;
  /** What is wrong at a place or below it. */
  at: (place: string) => string | undefined;
  /** What a save would break elsewhere; undefined while that is not known. */
  breaks?: PlanProblem[];
  save: () => void;
  saving: boolean;
  /** What the last save met. */
  error: Error | null;
  /** What the last save brought. */
  saved?: Saved;
  discard: () => void;
  /** Somebody else changed it meanwhile: whose stays. */
  conflict?: { mine: () => void; theirs: () => void };
  /** For the form element: Enter and Ctrl S save. */
  form: { onSubmit: (e: SyntheticEvent) => void; onKeyDown: (e: KeyboardEvent) => void };
}

/** Places are paths of names; the form's library has dots between them. */
const dotted = (place: string) => place.replaceAll("/", ".");

/**
 * The state of an editor: a form that is judged by the plan's schema at each key, and by a try of
 * the save once it rests.
 */
export function useEdit<T extends object>(options: Options<T>): Edit<T> {
  const { object, isNew, definition, put, onSaved, onRefused } = options;
  const queries = useQueryClient();
  const form = useForm<FieldValues>({
    defaultValues: object,
    mode: "onChange",
    resolver: async (values) => {
      const faults = Object.entries(await faultsOf(definition, values));
      if (faults.length === 0) return { values, errors: {} };
      const errors: FieldErrors = {};
      for (const [place, message] of faults) deepSet(errors, place, { type: "schema", message });
      return { values: {}, errors };
    },
  });
  const value = form.watch() as T;
  const { errors } = form.formState;
  // The object as this edit found it: a save that finds another is refused.
  const [was, setWas] = useState(object);
  const dirty = isNew || !same(value, object);
  const mutation = useDraftEdit((body: Body<T>) => put(body, { try: false }));
  const [typed, setTyped] = useState<string[]>([]);

  const settled = useSettled(useDeferredValue(value), 400);
  const trial = useQuery({
    queryKey: keys.ofDraft("try", definition, settled, isNew),
    queryFn: () => put({ is: settled, was: isNew ? undefined : was }, { try: true }),
    enabled: dirty && same(settled, value),
    retry: false,
  });
  const tried = dirty && same(settled, value) ? trial : undefined;

  const send = (found: T) =>
    mutation.mutate(
      { is: value, was: isNew ? undefined : found },
      {
        onSuccess: (saved) => {
          setWas(value);
          form.reset(value);
          onSaved(saved);
        },
        onError: () => {
          onRefused?.();
          queries.invalidateQueries({ queryKey: keys.draft });
        },
      },
    );
  const save = () => {
    if (dirty && !mutation.isPending) send(was);
  };
  const refused = mutation.error instanceof Problem ? mutation.error : undefined;
  // What was refused is mended once a try passes. A conflict is not: a try meets none.
  const mended = refused?.status === 422 && tried?.isSuccess;
  const doubted = tried?.error instanceof Problem ? tried.error : undefined;

  return {
    value,
    dirty,
    isNew,
    set: (place, next) => {
      setTyped((t) => [...t, place]);
      form.setValue(dotted(place), isEmpty(next) ? undefined : next, {
        shouldDirty: true,
        shouldValidate: true,
      });
    },
    replace: (next) => {
      const before = form.getValues() as T;
      const after = next(before);
      setTyped((t) => [...t, ...differences(before, after)]);
      form.reset(after, { keepDefaultValues: true });
    },
    at: (place) => {
      const schema = messageOf(pick(errors, dotted(place)));
      if (schema) return schema;
      if (tried?.isSuccess) return undefined;
      // What is said of the object as it stands goes before what was said of it at the last save.
      if (doubted?.status !== 422) return refused?.at(place);
      // In a new object nothing is missing where nobody has been yet.
      const seen = !isNew || refused || typed.some((t) => t === place || t.startsWith(`${place}/`));
      return seen ? doubted.at(place) : undefined;
    },
    breaks: tried?.data?.elsewhere,
    save,
    saving: mutation.isPending,
    error: dirty && !mended ? mutation.error : null,
    saved: dirty ? undefined : mutation.data,
    discard: () => {
      form.reset(object);
      setWas(object);
      setTyped([]);
      mutation.reset();
    },
    conflict:
      refused?.status === 409 && !isNew
        ? {
            mine: () => send(object),
            theirs: () => {
              form.reset(object);
              setWas(object);
              mutation.reset();
            },
          }
        : undefined,
    form: {
      onSubmit: (e) => {
        e.preventDefault();
        save();
      },
      onKeyDown: (e) => {
        if (e.key === "s" && e.ctrlKey) {
          e.preventDefault();
          save();
        }
      },
    },
  };
}

/** The first message in a branch of errors. */
function messageOf(branch: unknown): string | undefined {
  if (typeof branch !== "object" || branch === null) return undefined;
  const { message } = branch as { message?: unknown };
  if (typeof message === "string") return message;
  for (const inner of Object.values(branch)) {
    const found = messageOf(inner);
    if (found) return found;
  }
  return undefined;
}

/** Writes into nested objects, which are made on the way. */
function deepSet(into: Record<string, unknown>, place: string, value: unknown): void {
  const path = place.split("/");
  const last = path.pop() ?? "";
  let at = into;
  for (const key of path) {
    at[key] ??= {};
    at = at[key] as Record<string, unknown>;
  }
  at[last] = value;
}
