import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useState } from "react";
import { useHours } from "@/api/calendars";
import { api, take } from "@/api/client";
import { keys } from "@/api/keys";
import { useNetwork } from "@/api/queries";
import { Failure } from "@/ui/feedback";
import { everyWord, groupLook, itemLook } from "./look";

interface Action {
  name: string;
  /** Where it leads, or what it does. What acts on calls asks once more. */
  path?: string;
  run?: () => Promise<unknown>;
}

/** How many actions are listed. */
const most = 8;

/** What can be done by its name: views with a form, and operations on trunks and calendars. */
export function ActionGroup({
  search,
  onGo,
  onDone,
}: {
  search: string;
  onGo: (path: string) => void;
  onDone: () => void;
}) {
  const network = useNetwork().data;
  const calendars = useHours().data ?? [];
  const queries = useQueryClient();
  const [asked, setAsked] = useState("");
  const act = useMutation({
    mutationFn: (run: () => Promise<unknown>) => run(),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.network });
      await queries.invalidateQueries({ queryKey: keys.calendars });
      onDone();
    },
  });
  if (search.trim() === "") return null;
  const service = (id: string, word: "in" | "draining" | "off") => () =>
    take(
      api.PUT("/api/trunks/{id}/service", {
        params: { path: { id } },
        body: { word, minutes: 0, why: "by the finder" },
      }),
    );
  const actions: Action[] = [
    { name: "Add trunk", path: "/plan/trunks/new" },
    { name: "Add number", path: "/numbers/new" },
    { name: "Add calendar", path: "/calendars/new" },
    { name: "Add caller group", path: "/plan/callerGroups/new" },
    { name: "Block a source", path: "/blocked-sources" },
    { name: "Set up outbound rules", path: "/outbound-setup" },
    { name: "Go live", path: "/changes" },
    ...(network?.trunks ?? []).flatMap((t): Action[] =>
      t.state.word === "off" || t.state.word === "draining"
        ? [{ name: `Put ${t.name} back into service`, run: service(t.id, "in") }]
        : [
            { name: `Drain ${t.name}`, run: service(t.id, "draining") },
            { name: `Take ${t.name} out of service`, run: service(t.id, "off") },
          ],
    ),
    ...calendars
      .filter((c) => c.override)
      .map(
        (c): Action => ({
          name: `Clear override of ${c.name}`,
          run: () => take(api.DELETE("/api/calendars/{id}/override", { params: { path: { id: c.id } } })),
        }),
      ),
  ];
  const found = actions.filter((a) => everyWord(a.name, search)).slice(0, most);
  if (found.length === 0) return null;
  return (
    <Command.Group heading="Actions" className={groupLook}>
      {found.map((a) => (
        <Command.Item
          key={a.name}
          value={`action ${a.name}`}
          className={itemLook}
          disabled={act.isPending}
          onSelect={() => {
            if (a.path) onGo(a.path);
            else if (asked === a.name && a.run) act.mutate(a.run);
            else setAsked(a.name);
          }}
        >
          <span className={asked === a.name ? "text-bad" : ""}>
            {asked === a.name ? `Confirm: ${a.name}` : a.name}
          </span>
          <span className="text-soft">{a.run ? "at once" : "opens a form"}</span>
        </Command.Item>
      ))}
      {act.isError && <Failure error={act.error} />}
    </Command.Group>
  );
}
