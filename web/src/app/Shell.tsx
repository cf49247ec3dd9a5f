import { useQueryClient } from "@tanstack/react-query";
import { Keyboard, LogOut, Moon, Search, Sun, Undo2 } from "lucide-react";
import { type ReactNode, useCallback, useEffect, useState } from "react";
import { NavLink, useLocation } from "react-router";
import { useClocks, useHours } from "@/api/calendars";
import { api, take } from "@/api/client";
import { useConnected, useEvents } from "@/api/events";
import { useChanges, useDraft, useDraftEdit, useNetwork, useSession, useTrial } from "@/api/queries";
import { scopesIn } from "@/features/changes/TrialPanel";
import { nextOf } from "@/features/setup/steps";
import { useSetup } from "@/features/setup/useSetup";
import { untilWords } from "@/parts/calendar";
import { Button, Kbd } from "@/ui/controls";
import { NamedIn } from "@/ui/feedback";
import { StateMark } from "@/ui/StateMark";
import { Finder } from "./finder/Finder";
import { KeysOverlay } from "./KeysOverlay";
import { useKeys, useSingleKeys } from "./keys";
import { Stages } from "./Stages";
import { useTheme } from "./theme";

export function Shell({ user, children }: { user: string; children: ReactNode }) {
  const [finding, setFinding] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const [single, setSingle] = useSingleKeys();
  const changes = useChanges();
  const draft = useDraft();
  useEvents();
  const find = useCallback(() => setFinding(true), []);
  useKeys({ single, find, choosing, choose: setChoosing });
  return (
    <div className="flex h-full flex-col">
      <a href="#main" className="sr-only focus:not-sr-only focus:p-2">
        Go to the content
      </a>
      <header className="flex h-16 shrink-0 items-stretch gap-3 border-b border-line bg-sheet px-3">
        <img src="/mark.svg" alt="Switchback" className="size-8 self-center" />
        <Stages />
        <div className="flex flex-col items-end justify-between py-1">
          <div className="flex items-center gap-1">
            <Undo count={changes.data?.undoable ?? 0} />
            <Tools user={user} onFind={find} onKeys={() => setChoosing(true)} />
          </div>
          <PlanState />
        </div>
      </header>
      <Warnings />
      <Acting />
      <SetupBar />
      <main id="main" className="min-h-0 flex-1 overflow-auto">
        <NamedIn value={draft.data?.plan}>{children}</NamedIn>
      </main>
      <Finder open={finding} onOpenChange={setFinding} />
      <KeysOverlay open={choosing} onOpenChange={setChoosing} single={single} onSingle={setSingle} />
    </div>
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
      className="h-7 px-2 text-dense"
      onClick={() => run(undefined)}
      disabled={undo.isPending}
      aria-label="Undo edit"
      title={undo.isError ? undo.error.message : "Undo the last edit of the draft: Ctrl Z"}
    >
      <Undo2 className="size-4" aria-hidden="true" /> Undo
    </Button>
  );
}

/** What carries calls, and whether the draft differs from it. */
function PlanState() {
  const instance = useSession().data?.instance;
  const network = useNetwork();
  const changes = useChanges();
  const count = changes.data?.count ?? 0;
  return (
    <div className="flex gap-3 text-dense whitespace-nowrap">
      {instance && (
        <div className="max-w-64 truncate font-semibold" title={instance}>
          {instance}
        </div>
      )}
      <div>
        {network.data?.revision === 0 ? (
          <StateMark tone="soft" word="not live yet" />
        ) : (
          <StateMark
            tone="good"
            word={network.data ? `Live: revision ${network.data.revision}` : "Live: …"}
          />
        )}
      </div>
      <div>
        {count === 0 ? (
          <span className="text-soft">draft: no changes</span>
        ) : (
          <NavLink to="/changes" className="underline-offset-2 hover:underline">
            <StateMark tone="draft" word={`draft: ${count} ${count === 1 ? "change" : "changes"}`} />
          </NavLink>
        )}
      </div>
    </div>
  );
}

function Tools({ user, onFind, onKeys }: { user: string; onFind: () => void; onKeys: () => void }) {
  const { theme, toggle } = useTheme();
  const queries = useQueryClient();
  const signOut = async () => {
    await take(api.DELETE("/api/session")).catch(() => undefined); // the cookie is gone or the server is
    queries.clear();
    window.location.assign("/");
  };
  return (
    <div className="flex items-center gap-1">
      <Button className="h-7" onClick={onFind} title="Find a view, table, rule or trunk">
        <Search className="size-4" aria-hidden="true" /> Find <Kbd>Ctrl K</Kbd>
      </Button>
      <Button look="bare" className="h-7 px-2" onClick={onKeys} aria-label="Stages and keys" title="Key g">
        <Keyboard className="size-4" />
      </Button>
      <Button
        look="bare"
        className="h-7 px-2"
        onClick={toggle}
        aria-label={theme === "light" ? "Dark theme" : "Light theme"}
      >
        {theme === "light" ? <Moon className="size-4" /> : <Sun className="size-4" />}
      </Button>
      <Button
        look="bare"
        className="h-7 px-2"
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
    ? "Switchback is not reachable. This page may be out of date; calls continue."
    : network.data?.recordsWaiting
      ? "Database unavailable: call records wait in memory; calls continue."
      : network.data?.recordingsFail
        ? "Message capture fails, the disk may be full. Retried every second; calls and records continue."
        : !connected
          ? "Connection for updates lost: this page polls until it is back."
          : lost > 0
            ? `${lost} messages or call records lost since the start; see the log. Calls continue.`
            : undefined;
  if (!warning) return null;
  return (
    <div role="alert" className="border-b border-bad bg-bad-wash px-4 py-1">
      <StateMark tone="bad" word={warning} />
    </div>
  );
}

/** While nothing is live: what to do next. */
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
      className="flex flex-wrap gap-x-6 border-b border-draft bg-draft-wash px-4 py-1 text-dense"
    >
      {trial?.running && (
        <NavLink to="/changes" className="underline-offset-2 hover:underline">
          <StateMark tone="draft" word={`trial for ${scopesIn(trial.scopes)}`} />
        </NavLink>
      )}
      {clocks?.differ && (
        <NavLink to="/calendars" className="underline-offset-2 hover:underline">
          <StateMark tone="bad" word="clocks differ: calendars may switch at other times" />
        </NavLink>
      )}
      {set.map((h) => (
        <NavLink key={h.id} to={`/calendars/${h.id}`} className="underline-offset-2 hover:underline">
          <StateMark
            tone="warn"
            word={`${h.name}: override ${h.override?.state} ${untilWords(h.override?.until, h.places[0]?.zone)}`}
          />
        </NavLink>
      ))}
    </div>
  );
}
