import { Plus, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { useHours } from "@/api/calendars";
import type { TryAsk } from "@/api/client";
import { useNetwork, useSources, useZone } from "@/api/queries";
import { Button } from "@/ui/controls";
import { itemLook, MenuChoices, menuLook } from "@/ui/Menu";
import { MomentField } from "@/ui/MomentField";
import type { FormProps } from "./AskForm";

interface Props extends Pick<FormProps, "set" | "change"> {
  simulate: TryAsk["simulate"];
  from: string;
  error?: string;
}

/** What a dry run simulates: the time, trunks that are down or full, calendar overrides. Each is added, and removed, by itself. */
export function Conditions({ simulate, set, change, from, error }: Props) {
  const network = useNetwork();
  const hours = useHours();
  const zone = useZoneOf(from);
  const trunks = network.data?.trunks ?? [];
  const trunkName = (id: string) => trunks.find((t) => t.id === id)?.name ?? id;
  const calendarName = (id: string) => hours.data?.find((h) => h.id === id)?.name ?? id;
  const remove = (key: string, value: string) => change((p) => p.delete(key, value));
  const put = (id: string, state: "down" | "full") =>
    change((p) => {
      p.delete("down", id);
      p.delete("full", id);
      p.append(state, id);
    });
  const override = (calendar: string, state: string) =>
    change((p) => {
      const others = p.getAll("override").filter((x) => !x.startsWith(`${calendar}:`));
      p.delete("override");
      for (const x of [...others, `${calendar}:${state}`]) p.append("override", x);
    });
  return (
    <fieldset className="mt-2 flex flex-wrap items-center gap-2 text-dense">
      <legend className="float-left mr-2 text-soft">Dry run simulates</legend>
      {simulate?.time !== undefined && (
        <Chip onRemove={() => set("at", "")} name="time">
          <MomentField
            label="Time of the call"
            value={simulate.time}
            zone={zone}
            onChange={(iso) => iso && set("at", iso)}
            error={error}
          />
        </Chip>
      )}
      {simulate?.down?.map((id) => (
        <Chip key={id} name={`${trunkName(id)} down`} onRemove={() => remove("down", id)}>
          {trunkName(id)} down
        </Chip>
      ))}
      {simulate?.full?.map((id) => (
        <Chip key={id} name={`${trunkName(id)} full`} onRemove={() => remove("full", id)}>
          {trunkName(id)} full
        </Chip>
      ))}
      {Object.entries(simulate?.overrides ?? {}).map(([id, state]) => (
        <Chip
          key={id}
          name={`${calendarName(id)} ${state}`}
          onRemove={() => remove("override", `${id}:${state}`)}
        >
          {calendarName(id)}: {state}
        </Chip>
      ))}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button look="bare" className="h-7 px-2">
            <Plus className="size-4" aria-hidden="true" /> Condition
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" className={menuLook}>
            <DropdownMenu.Item
              className={itemLook}
              disabled={simulate?.time !== undefined}
              onSelect={() => set("at", new Date(Math.ceil(Date.now() / 60_000) * 60_000).toISOString())}
            >
              Time
            </DropdownMenu.Item>
            <MenuChoices name="Trunk down" items={trunks} onChoose={(id) => put(id, "down")} />
            <MenuChoices name="Trunk full" items={trunks} onChoose={(id) => put(id, "full")} />
            {hours.data?.map((h) => (
              <MenuChoices
                key={h.id}
                name={`Calendar ${h.name}`}
                items={h.states.map((s) => ({ id: s, name: s }))}
                onChoose={(state) => override(h.id, state)}
              />
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </fieldset>
  );
}

/** The zone of the switch by which a source's calls come. */
function useZoneOf(from: string): string | undefined {
  const sources = useSources().data;
  const zone = useZone();
  return zone(sources?.find((s) => s.from === from)?.switch ?? sources?.[0]?.switch);
}

function Chip({ name, onRemove, children }: { name: string; onRemove: () => void; children: ReactNode }) {
  return (
    <span className="inline-flex min-h-7 items-center gap-2 rounded-[3px] border border-category-4 bg-category-4-wash pl-2">
      {children}
      <button
        type="button"
        className="grid h-7 w-6 place-items-center"
        onClick={onRemove}
        aria-label={`Remove condition ${name}`}
      >
        <X className="size-3.5" aria-hidden="true" />
      </button>
    </span>
  );
}
