import { Plus, X } from "lucide-react";
import type { Plan } from "@/api/client";
import { Button, FieldError, inputLook } from "@/ui/controls";
import { ProfileNote } from "./ProfileChoice";
import type { Advice } from "./profile";

type Trunk = Plan["trunks"][number];
type SIP = NonNullable<Trunk["link"]["sip"]>;
type Target = NonNullable<SIP["targets"]>[number];

interface Props {
  sip: SIP;
  /** What its profile asks for. */
  profile?: Advice;
  onChange: (sip: SIP) => void;
  error?: string;
}

/** Further servers of the far end, by priority and weight. */
export function TargetsEditor({ sip, profile, onChange, error }: Props) {
  const list = sip.targets ?? [];
  const put = (targets: Target[]) => onChange({ ...sip, targets: targets.length > 0 ? targets : undefined });
  const change = (i: number, part: Partial<Target>) =>
    put(list.map((t, j) => (j === i ? { ...t, ...part } : t)));
  const number = (i: number, key: "priority" | "weight") => (
    <input
      type="number"
      min={0}
      max={65535}
      aria-label={`${key} of server ${i + 2}`}
      className={`${inputLook} h-7 font-mono`}
      placeholder="0"
      value={list[i]?.[key] ?? ""}
      onChange={(e) => change(i, { [key]: Number(e.target.value) || undefined })}
    />
  );
  return (
    <fieldset className="col-span-2">
      <legend className="mb-1 text-dense text-soft">Further servers for failover</legend>
      {list.length > 0 && (
        <table className="w-full [&_td]:pr-2 [&_td]:pb-1 [&_th]:text-left [&_th]:text-dense [&_th]:font-normal [&_th]:text-soft">
          <thead>
            <tr>
              <th className="w-1/2">Address and port</th>
              <th>Priority, lower first</th>
              <th>Weight</th>
              <th>
                <span className="sr-only">Delete</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((t, i) => (
              <tr key={i}>
                <td>
                  <input
                    aria-label={`Address of server ${i + 2}`}
                    className={`${inputLook} h-7 font-mono`}
                    value={t.address}
                    onChange={(e) => change(i, { address: e.target.value })}
                  />
                </td>
                <td>{number(i, "priority")}</td>
                <td>{number(i, "weight")}</td>
                <td className="w-8">
                  <Button
                    look="bare"
                    className="h-7 px-1"
                    aria-label={`Delete server ${i + 2}`}
                    onClick={() => put(list.filter((_, j) => j !== i))}
                  >
                    <X className="size-4" />
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button
        look="bare"
        className="h-7 px-1 text-road"
        disabled={!sip.remoteAddress}
        onClick={() => put([...list, { address: "" }])}
      >
        <Plus className="size-4" aria-hidden="true" /> Add a server
      </Button>
      {error && <FieldError>{error}</FieldError>}
      {profile && <ProfileNote row={profile} onTake={() => undefined} />}
    </fieldset>
  );
}
