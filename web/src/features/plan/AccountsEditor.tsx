import { Plus, X } from "lucide-react";
import type { Plan } from "@/api/client";
import { idOf } from "@/lib/value";
import { Button, FieldError, inputLook } from "@/ui/controls";
import { ProfileNote } from "./ProfileChoice";
import type { Advice } from "./profile";

type Trunk = Plan["trunks"][number];
type SIP = NonNullable<Trunk["link"]["sip"]>;
type Account = NonNullable<SIP["outboundAccounts"]>[number];

interface Props {
  sip: SIP;
  /** What its profile asks for. */
  profile: Advice[];
  onChange: (sip: SIP) => void;
  at: (place: string) => string | undefined;
}

/** The accounts of both sides. Their secrets are not in the plan: they are set beside it, once the account is saved. */
export function AccountsEditor({ sip, profile, onChange, at }: Props) {
  const put = (side: "inboundAccounts" | "outboundAccounts") => (list: Account[]) =>
    onChange({ ...sip, [side]: list.length > 0 ? list : undefined });
  return (
    <div className="col-span-2 flex flex-col gap-3">
      <List
        title="Inbound accounts"
        list={sip.inboundAccounts ?? []}
        onChange={put("inboundAccounts")}
        error={at("link/sip/inboundAccounts")}
        place="Port or extension"
      />
      <List
        title="Outbound accounts"
        list={sip.outboundAccounts ?? []}
        onChange={put("outboundAccounts")}
        error={at("link/sip/outboundAccounts")}
      />
      {profile
        .filter((r) => r.place.endsWith("Accounts"))
        .map((r) => (
          <ProfileNote key={r.place} row={r} onTake={() => undefined} />
        ))}
      <p className="text-dense text-soft">
        Secrets are not part of the plan: save the account, then set its secret.
      </p>
    </div>
  );
}

interface ListProps {
  title: string;
  list: Account[];
  onChange: (list: Account[]) => void;
  error?: string;
  place?: string;
}

function List({ title, list, onChange, error, place }: ListProps) {
  const change = (i: number, part: Partial<Account>) =>
    onChange(list.map((a, j) => (j === i ? { ...a, ...part } : a)));
  const input = (i: number, label: string, key: "user" | "authUser" | "number" | "port", mono = false) => (
    <input
      aria-label={`${label} of ${list[i]?.user || "the new account"}`}
      className={`${inputLook} h-7 ${mono ? "font-mono" : ""}`}
      value={list[i]?.[key] ?? ""}
      placeholder={key === "authUser" ? list[i]?.user : undefined}
      onChange={(e) =>
        change(i, { [key]: e.target.value || undefined, ...(key === "user" && { user: e.target.value }) })
      }
    />
  );
  return (
    <fieldset>
      <legend className="mb-1 text-dense text-soft">{title}</legend>
      {list.length > 0 && (
        <table className="w-full [&_td]:pr-2 [&_td]:pb-1 [&_th]:text-left [&_th]:text-dense [&_th]:font-normal [&_th]:text-soft">
          <thead>
            <tr>
              <th>Registration name</th>
              <th>Authentication user</th>
              <th>Numbers</th>
              {place && <th>{place}</th>}
              {place ? (
                <th title="RFC 2069 without qop is open to replay; each challenge is used once.">
                  Old digest
                </th>
              ) : (
                <th>Expires, s</th>
              )}
              <th>
                <span className="sr-only">Delete</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((a, i) => (
              <tr key={a.id}>
                <td>{input(i, "Registration name", "user", true)}</td>
                <td>{input(i, "Authentication user", "authUser", true)}</td>
                <td>{input(i, "Number", "number", true)}</td>
                {place && <td>{input(i, place, "port")}</td>}
                <td>
                  {place ? (
                    <input
                      type="checkbox"
                      aria-label={`Old digest of ${a.user || "the new account"}`}
                      checked={a.oldDigest ?? false}
                      onChange={(e) => change(i, { oldDigest: e.target.checked || undefined })}
                    />
                  ) : (
                    <input
                      type="number"
                      min={0}
                      aria-label={`Expires of ${a.user}`}
                      className={`${inputLook} h-7 font-mono`}
                      placeholder="600"
                      value={a.expires ?? ""}
                      onChange={(e) => change(i, { expires: Number(e.target.value) || undefined })}
                    />
                  )}
                </td>
                <td className="w-8">
                  <Button
                    look="bare"
                    className="h-7 px-1"
                    aria-label={`Delete account ${a.user}`}
                    onClick={() => onChange(list.filter((_, j) => j !== i))}
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
        onClick={() => onChange([...list, { id: freeID(list), user: "" }])}
      >
        <Plus className="size-4" aria-hidden="true" /> Add an account
      </Button>
      {error && <FieldError>{error}</FieldError>}
    </fieldset>
  );
}

function freeID(list: Account[]): string {
  for (let n = list.length + 1; ; n++) {
    const id = idOf(`account ${n}`);
    if (!list.some((a) => a.id === id)) return id;
  }
}
