import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type GuideAsk, type GuideProposal, type Plan, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useDraft, useDraftEdit } from "@/api/queries";
import { idOf } from "@/lib/value";
import { Button, Field, inputLook } from "@/ui/controls";
import { Empty, Failure, Loading } from "@/ui/feedback";
import { named, Select } from "@/ui/Select";
import { Proposals } from "./Proposals";

/** Outbound rule setup: rules of the country's numbering plan, looked at one by one before they enter the draft. */
export function OutboundSetupView() {
  const draft = useDraft();
  if (draft.isPending) return <Loading what="the draft" />;
  if (!draft.data) return <Failure error={draft.error} retry={() => draft.refetch()} />;
  return <Guide plan={draft.data.plan} />;
}

function Guide({ plan }: { plan: Plan }) {
  const navigate = useNavigate();
  const [ask, setAsk] = useState<GuideAsk>(() => startOf(plan));
  const [outsideName, setOutsideName] = useState("");
  const start = useQuery({
    queryKey: keys.ofDraft("guide", ask.switch),
    queryFn: () => take(api.GET("/api/guide/{switch}", { params: { path: { switch: ask.switch } } })),
    enabled: ask.switch !== "",
    retry: false,
  });
  // What was asked, and which of the rules are left out once somebody has chosen.
  const [asked, setAsked] = useState<GuideAsk>();
  const [omit, setOmit] = useState<string[]>();
  const proposed = useQuery({
    queryKey: keys.ofDraft("outbound", JSON.stringify(asked), JSON.stringify(omit) ?? "covered"),
    queryFn: () => take(api.POST("/api/guide/outbound", { body: { ...(asked as GuideAsk), omit } })),
    enabled: asked !== undefined,
    placeholderData: asked && keepPreviousData,
    retry: false,
  });
  const propose = (next?: GuideAsk) => {
    setAsked(next);
    setOmit(undefined);
  };
  const enter = useDraftEdit((rules: GuideProposal[]) =>
    take(
      api.POST("/api/guide/take", {
        body: {
          tables: newTable(plan, ask, outsideName, rules),
          rules: rules.map((r) => ({ table: r.table, rule: r.rule })),
        },
      }),
    ),
  );
  const here = <T extends { switch: string }>(list: T[]) => list.filter((x) => x.switch === ask.switch);
  const change = (part: Partial<GuideAsk>) => {
    propose();
    setAsk((a) => ({ ...a, ...part }));
  };
  const outside = ask.prefix ? (outsideName ? idOf(outsideName) : ask.outside) : undefined;
  const answers = plan.destinations.filter((d) => here(plan.trunks).some((t) => t.id === d.trunk));
  return (
    <div className="grid h-full grid-cols-[24rem_minmax(0,1fr)]">
      <form
        className="flex flex-col gap-3 overflow-auto border-r border-line bg-sheet p-4"
        onSubmit={(e) => {
          e.preventDefault();
          propose({ ...ask, outside });
        }}
      >
        <h1 className="text-title font-semibold">Outbound rule setup</h1>
        <p className="text-dense text-soft">Rules from the numbering plan of the switch's country.</p>
        <div className="grid grid-cols-2 gap-3">
          <Choice
            label="Switch"
            value={ask.switch}
            list={plan.switches}
            onChange={(id) => {
              propose();
              setAsk(startOf(plan, id));
            }}
          />
          <Choice
            label="The phones' calls enter"
            value={ask.inboundTable}
            list={here(plan.tables)}
            onChange={(inboundTable) => change({ inboundTable })}
          />
          <Field label="Outside prefix" hint="empty: none is dialled">
            {(p) => (
              <input
                {...p}
                className={`${inputLook} font-mono`}
                value={ask.prefix ?? ""}
                onChange={(e) => change({ prefix: e.target.value })}
              />
            )}
          </Field>
          {ask.prefix ? (
            <Choice
              label="Behind it, table"
              value={ask.outside ?? ""}
              none="a new one …"
              list={here(plan.tables)}
              onChange={(id) => change({ outside: id })}
            />
          ) : (
            <span />
          )}
        </div>
        {ask.prefix && !ask.outside && (
          <Field label="Name of the new table">
            {(p) => (
              <input
                {...p}
                className={inputLook}
                value={outsideName}
                onChange={(e) => setOutsideName(e.target.value)}
                placeholder="Outside numbers"
                required
              />
            )}
          </Field>
        )}
        {start.isError && <Failure error={start.error} />}
        {start.data && (
          <>
            <p className="text-dense">
              <span className="text-soft">here</span> {start.data.country}
              {start.data.area && (
                <>
                  , area <span className="font-mono">{start.data.area}</span>
                </>
              )}
              ; national numbers begin with{" "}
              <span className="font-mono">{start.data.national || "nothing"}</span>, abroad with{" "}
              <span className="font-mono">{start.data.international || "nothing"}</span>; emergency{" "}
              <span className="font-mono">{start.data.emergency.join(", ")}</span>
            </p>
            <fieldset className="flex flex-col gap-1">
              <legend className="mb-1 text-dense text-soft">
                Path for each class of calls; none: refused
              </legend>
              {start.data.classes.map((c) => (
                <label key={c} className="grid grid-cols-[8rem_1fr] items-center gap-2">
                  {c}
                  <Select
                    aria-label={`Path for ${c} calls`}
                    value={ask.paths[c] ?? ""}
                    onChange={(path) => change({ paths: { ...ask.paths, [c]: path } })}
                    none="none"
                    options={named(here(plan.paths))}
                  />
                </label>
              ))}
            </fieldset>
            <div className="grid grid-cols-2 gap-3">
              <Field
                label="Calls show"
                hint="a number that can be called back, with +; extensions are mapped on their own later"
              >
                {(p) => (
                  <input
                    {...p}
                    className={`${inputLook} font-mono`}
                    value={ask.main ?? ""}
                    onChange={(e) => change({ main: e.target.value })}
                  />
                )}
              </Field>
              <Choice
                label="Unallocated numbers"
                value={ask.operator ?? ""}
                none="none: cause 1"
                list={answers}
                onChange={(operator) => change({ operator })}
              />
            </div>
            {start.data.area && (
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  checked={ask.shortLocal ?? false}
                  onChange={(e) => change({ shortLocal: e.target.checked })}
                />
                local numbers are dialled without the area code too
              </label>
            )}
          </>
        )}
        <div>
          <Button type="submit" look="main" disabled={!start.data || proposed.isFetching}>
            Propose rules
          </Button>
        </div>
        {proposed.isError && <Failure error={proposed.error} />}
      </form>
      <section className="overflow-auto p-4" aria-label="Proposed rules">
        {asked && proposed.data ? (
          <Proposals
            plan={plan}
            proposed={proposed.data}
            omit={omit}
            onOmit={setOmit}
            busy={enter.isPending || proposed.isFetching}
            onTake={(rules) =>
              enter.mutate(rules, { onSuccess: () => navigate(`/routing/${rules.at(-1)?.table ?? ""}`) })
            }
            error={enter.error}
          />
        ) : proposed.isFetching ? (
          <Loading what="the proposed rules" />
        ) : (
          <Empty>
            Enter how the site dials, and a path for each class. <Link to="/routing">Back to the tables</Link>
          </Empty>
        )}
      </section>
    </div>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  list: { id: string; name: string }[];
  none?: string;
  onChange: (id: string) => void;
}

function Choice({ label, value, list, none, onChange }: ChoiceProps) {
  return (
    <Field label={label}>
      {(p) => <Select {...p} value={value} onChange={onChange} none={none} options={named(list)} />}
    </Field>
  );
}

/** What is known before anything is said. */
function startOf(plan: Plan, id = plan.switches[0]?.id ?? ""): GuideAsk {
  const phones = plan.trunks.find(
    (t) =>
      t.switch === id &&
      t.inboundTable &&
      plan.farEnds.some((f) => f.id === t.farEnd && f.kind === "phone-system"),
  );
  return {
    switch: id,
    inboundTable: phones?.inboundTable ?? plan.tables.find((t) => t.switch === id)?.id ?? "",
    prefix: "",
    outside: "",
    paths: {},
  };
}

/** The table behind the prefix, if it is not there yet. */
function newTable(plan: Plan, ask: GuideAsk, name: string, rules: GuideProposal[]) {
  const id = idOf(name);
  if (!ask.prefix || ask.outside || !rules.some((r) => r.table === id)) return [];
  if (plan.tables.some((t) => t.id === id)) return [];
  return [{ id, name, switch: ask.switch, format: "as-dialled", order: "as-listed" as const, rules: [] }];
}
