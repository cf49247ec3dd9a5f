import { useQueryClient } from "@tanstack/react-query";
import { LogOut, Moon, Search, Sun, Undo2 } from "lucide-react";
import { type ReactNode, useEffect, useLayoutEffect, useState } from "react";
import { NavLink, useLocation, useNavigate } from "react-router";
import { api, take } from "@/api/client";
import { useConnected, useEvents } from "@/api/events";
import { useChanges, useClocks, useDraft, useDraftEdit, useHours, useNetwork, useTrial } from "@/api/queries";
import { scopesIn } from "@/features/changes/TrialPanel";
import { nextOf } from "@/features/setup/steps";
import { useSetup } from "@/features/setup/useSetup";
import { untilWords } from "@/parts/calendar";
import { Button, Kbd } from "@/ui/controls";
import { NamedIn } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Finder } from "./Finder";
import { useTheme } from "./theme";
import { views } from "./views";

export function Shell({ user, children }: { user: string; children: ReactNode }) {
  const [finding, setFinding] = useState(false);
  const changes = useChanges();
  const draft = useDraft();
  useEvents();
  useShortcuts(() => setFinding(true));
  return (
    <div className="flex h-full flex-col">
      <a href="#main" className="sr-only focus:not-sr-only focus:p-2">
        Go to the content
      </a>
      <header className="flex h-14 shrink-0 items-stretch gap-3 border-b border-line bg-sheet px-4">
        <span className="flex items-center gap-2 text-[17px] font-semibold text-road">
          <img src="/mark.svg" alt="" className="size-7" />
          <span className="sr-only min-[1400px]:not-sr-only">Switchback</span>
        </span>
        <Stages />
        <div className="ml-auto flex items-center gap-2">
          <Undo count={changes.data?.undoable ?? 0} />
          <PlanState />
          <Tools user={user} onFind={() => setFinding(true)} />
        </div>
      </header>
      <Warnings />
      <Acting />
      <SetupBar />
      <main id="main" className="min-h-0 flex-1 overflow-auto">
        <NamedIn value={draft.data?.plan}>{children}</NamedIn>
      </main>
      <Finder open={finding} onOpenChange={setFinding} />
    </div>
  );
}

/** The views as stages along one line, in the order of the work. */
function Stages() {
  return (
    <nav aria-label="Views" className="flex items-stretch">
      {views.map((v) => (
        <NavLink
          key={v.path}
          to={v.path}
          title={`Key ${v.key}`}
          className="group relative flex min-w-[3.4rem] flex-col justify-end px-1.5 pb-1.5 aria-[current=page]:bg-road-wash"
        >
          <span className="absolute top-[11px] right-0 left-0 h-[3px] bg-line group-first:left-1.5 group-last:right-[calc(100%-1rem)] group-aria-[current=page]:bg-road" />
          <span className="absolute top-[7px] left-1.5 size-[11px] rounded-full border-[3px] border-line bg-sheet group-aria-[current=page]:border-road" />
          <span className="text-[11px] leading-none whitespace-nowrap text-soft">{v.step}</span>
          <span className="leading-snug group-aria-[current=page]:font-semibold">{v.name}</span>
        </NavLink>
      ))}
    </nav>
  );
}

/** Takes the last edit of the draft back; also by Ctrl Z where nothing is typed. */
function Undo({ count }: { count: number }) {
  const undo = useDraftEdit(() => take(api.POST("/api/draft/undo")));
  const run = undo.mutate;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing = (e.target as HTMLElement).closest("input, textarea, select, [role=dialog]");
      if (e.key === "z" && e.ctrlKey && !e.shiftKey && !typing && count > 0) {
        e.preventDefault();
        run(undefined);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [count, run]);
  if (count === 0) return null;
  return (
    <Button
      look="bare"
      className="h-7 px-2 text-[13px]"
      onClick={() => run(undefined)}
      disabled={undo.isPending}
      aria-label="Undo edit"
      title={undo.isError ? undo.error.message : "Takes the last edit of the draft back: Ctrl Z"}
    >
      <Undo2 className="size-4" aria-hidden="true" /> Undo
    </Button>
  );
}

/** What carries calls, and whether the draft differs from it. */
function PlanState() {
  const network = useNetwork();
  const changes = useChanges();
  const count = changes.data?.count ?? 0;
  return (
    <div className="text-right text-[13px] leading-tight">
      <div>
        {network.data?.revision === 0 ? (
          <StateMark tone="soft" word="nothing is live yet" />
        ) : (
          <StateMark
            tone="good"
            word={network.data ? `Live: revision ${network.data.revision}` : "Live: …"}
          />
        )}
      </div>
      <div>
        {count === 0 ? (
          <span className="text-soft">draft is the same</span>
        ) : (
          <NavLink to="/changes" className="underline-offset-2 hover:underline">
            <StateMark tone="draft" word={`draft: ${count} ${count === 1 ? "change" : "changes"}`} />
          </NavLink>
        )}
      </div>
    </div>
  );
}

function Tools({ user, onFind }: { user: string; onFind: () => void }) {
  const { theme, toggle } = useTheme();
  const queries = useQueryClient();
  const signOut = async () => {
    await take(api.DELETE("/api/session")).catch(() => undefined); // the cookie is gone or the server is
    queries.clear();
    window.location.assign("/");
  };
  return (
    <div className="flex items-center gap-1">
      <Button onClick={onFind} title="Find a view, table, rule or trunk">
        <Search className="size-4" aria-hidden="true" /> Find <Kbd>Ctrl K</Kbd>
      </Button>
      <Button
        look="bare"
        className="px-2"
        onClick={toggle}
        aria-label={theme === "light" ? "Dark theme" : "Light theme"}
      >
        {theme === "light" ? <Moon className="size-4" /> : <Sun className="size-4" />}
      </Button>
      <Button
        look="bare"
        className="px-2"
        onClick={signOut}
        aria-label={`Sign out ${user}`}
        title={`Signed in as ${user}`}
      >
        <LogOut className="size-4" />
      </Button>
    </div>
  );
}

/** What the person must know wherever they are. */
function Warnings() {
  const network = useNetwork();
  const connected = useConnected();
  const lost = network.data?.recordsLost ?? 0;
  const warning = network.isError
    ? "Switchback cannot be reached. What is shown may be old; calls that run are not touched by this."
    : network.data?.recordsWaiting
      ? "The database does not take call records: they wait in memory. Calls go on."
      : network.data?.recordingsFail
        ? "Messages cannot be recorded: the disk may be full. It is tried again every second; calls and their records go on."
        : !connected
          ? "Changes are not told at the moment: this page asks every few seconds instead, until the connection is back."
          : lost > 0
            ? `${lost} messages or call records could not be kept since the start; the log says why. Calls are not touched by this.`
            : undefined;
  if (!warning) return null;
  return (
    <div role="alert" className="border-b border-bad bg-bad-wash px-4 py-1">
      <StateMark tone="bad" word={warning} />
    </div>
  );
}

/** While nothing is live yet: what to do next. */
function SetupBar() {
  const revision = useNetwork().data?.revision;
  const { pathname } = useLocation();
  if (revision !== 0 || pathname === "/setup") return null;
  return <SetupNext />;
}

function SetupNext() {
  const steps = useSetup();
  const next = steps && nextOf(steps);
  if (!steps || !next) return null;
  return (
    <div role="status" className="flex gap-4 border-b border-line bg-road-wash px-4 py-1">
      <NavLink to="/setup" className="text-road underline-offset-2 hover:underline">
        First set-up, {steps.filter((s) => s.done).length} of {steps.length} steps done
      </NavLink>
      <span>
        next:{" "}
        <NavLink to={next.to} className="font-semibold text-road underline-offset-2 hover:underline">
          {next.action}
        </NavLink>
      </span>
    </div>
  );
}

/** What acts beside the live plan: calendars that are set by hand, and a plan on trial. */
function Acting() {
  const clocks = useClocks().data;
  const trial = useTrial().data;
  const hours = useHours().data ?? [];
  const set = hours.filter((h) => h.override);
  if (!trial?.running && set.length === 0 && !clocks?.differ) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap gap-x-6 border-b border-draft bg-draft-wash px-4 py-0.5 text-[13px]"
    >
      {trial?.running && (
        <NavLink to="/changes" className="underline-offset-2 hover:underline">
          <StateMark tone="draft" word={`a plan is on trial for ${scopesIn(trial.scopes)}`} />
        </NavLink>
      )}
      {clocks?.differ && (
        <NavLink to="/hours" className="underline-offset-2 hover:underline">
          <StateMark tone="bad" word="clocks differ: hours may begin and end at other times than you think" />
        </NavLink>
      )}
      {set.map((h) => (
        <NavLink key={h.id} to={`/hours/${h.id}`} className="underline-offset-2 hover:underline">
          <StateMark
            tone="draft"
            word={`${h.name} is ${h.override?.state} by hand, ${untilWords(h.override?.until, h.places[0]?.zone)}`}
          />
        </NavLink>
      ))}
    </div>
  );
}

/** The keys of the views open them, Ctrl K the finder. */
function useShortcuts(find: () => void) {
  const navigate = useNavigate();
  // Before the first paint: whoever sees the views can press their keys.
  useLayoutEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
        e.preventDefault();
        find();
        return;
      }
      const typing = (e.target as HTMLElement).closest(
        "input, textarea, select, [contenteditable], [role=dialog]",
      );
      const view = views.find((v) => v.key === e.key);
      if (view && !typing && !e.ctrlKey && !e.altKey && !e.metaKey) navigate(view.path);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [find, navigate]);
}
