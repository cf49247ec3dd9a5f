import { useDeferredValue, useMemo } from "react";
import { Link, useSearchParams } from "react-router";
import { useNetwork } from "@/api/queries";
import { Choice } from "@/ui/Choice";
import { smallLook } from "@/ui/controls";
import { CallTable } from "./CallTable";
import { lengths, periods, results, searchOf } from "./search";
import { VolumeChart } from "./VolumeChart";

const options = (map: Record<string, { label: string }>) =>
  Object.entries(map).map(([value, { label }]) => ({ value, label }));

/** The call records: searched, filtered, and what came of them over time. */
export function CallsView() {
  const [params, setParams] = useSearchParams();
  const network = useNetwork();
  const asked = useDeferredValue(params.toString());
  // A period is counted from when it was chosen, not anew with each second.
  const search = useMemo(() => searchOf(new URLSearchParams(asked), Date.now()), [asked]);
  const set = (changes: Record<string, string>) =>
    setParams(
      (was) => {
        for (const [key, value] of Object.entries(changes)) {
          if (value) was.set(key, value);
          else was.delete(key);
        }
        return was;
      },
      { replace: true },
    );
  const choice = (key: string, label: string, any: string, map: Record<string, { label: string }>) => (
    <Choice
      label={label}
      any={any}
      value={params.get(key) ?? ""}
      onChange={(v) => set({ [key]: v })}
      options={options(map)}
    />
  );
  const trunks = Object.fromEntries((network.data?.trunks ?? []).map((t) => [t.id, { label: t.name }]));
  const filtered = [...params.keys()].length > 0;
  return (
    <div className="flex h-full flex-col">
      <VolumeChart search={search} onChoose={(since, until) => set({ since, until, period: "" })} />
      <CallTable
        name="call-records"
        search={search}
        find={
          <>
            <input
              type="search"
              className={`${smallLook} w-40 px-2 font-mono`}
              value={params.get("number") ?? ""}
              onChange={(e) => set({ number: e.target.value })}
              placeholder="Number"
              aria-label="Number"
              title="Last digits; 0123* for the first digits, *0123* for any. At least 3 digits."
            />
            {choice("trunk", "Trunk", "Any trunk", trunks)}
            {choice("result", "Result", "Any result", results)}
            <input
              className={`${smallLook} w-20 px-2 font-mono`}
              inputMode="numeric"
              value={params.get("code") ?? ""}
              onChange={(e) => set({ code: e.target.value.replace(/\D/g, "") })}
              placeholder="Code"
              aria-label="Cause or status"
              title="Q.850 cause (1 to 127) or SIP status (300 to 699)"
            />
            {choice("length", "Length", "Any length", lengths)}
            {params.get("since") ? (
              <button
                type="button"
                className={`${smallLook} px-2`}
                onClick={() => set({ since: "", until: "" })}
              >
                Chosen span ×
              </button>
            ) : (
              choice("period", "Period", "Any time", periods)
            )}
            {filtered && (
              <button
                type="button"
                className="text-dense text-road underline"
                onClick={() => setParams({}, { replace: true })}
              >
                Clear filters
              </button>
            )}
          </>
        }
        empty={
          filtered ? (
            "No call record matches. Clear a filter."
          ) : (
            <>
              No call records yet.{" "}
              <Link className="text-road underline" to="/test-call">
                Place a test call
              </Link>
            </>
          )
        }
      />
    </div>
  );
}
