import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Navigate, Route, Routes, useLocation, useNavigate, useParams } from "react-router";
import { Problem } from "@/api/client";
import { useNetwork, useSession } from "@/api/queries";
import { BlockedSourcesView } from "@/features/blocked/BlockedSourcesView";
import { CalendarsView } from "@/features/calendars/CalendarsView";
import { CallsView } from "@/features/calls/CallsView";
import { CallView } from "@/features/calls/CallView";
import { ChangesView } from "@/features/changes/ChangesView";
import { ChecksView } from "@/features/checks/ChecksView";
import { ActiveCallsView } from "@/features/network/ActiveCallsView";
import { NetworkView } from "@/features/network/NetworkView";
import { NumbersView } from "@/features/numbers/NumbersView";
import { OutboundSetupView } from "@/features/outbound/OutboundSetupView";
import { PermissionsView } from "@/features/permissions/PermissionsView";
import { PlanView } from "@/features/plan/PlanView";
import { RoutingView } from "@/features/routing/RoutingView";
import { SetupView } from "@/features/setup/SetupView";
import { FirstStart } from "@/features/signin/FirstStart";
import { SignIn } from "@/features/signin/SignIn";
import { TestCallView } from "@/features/testcall/TestCallView";
import { TrunksView } from "@/features/trunks/TrunksView";
import { Failure, Loading } from "@/ui/feedback";
import { Shell } from "./Shell";

export function App() {
  const session = useSession();
  const instance = session.data?.instance;
  useEffect(() => {
    document.title = instance ? `${instance} · Switchback` : "Switchback";
  }, [instance]);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const at = useLocation();
  if (session.isPending) return <Loading what="who is signed in" />;
  if (session.isError) {
    if (session.error instanceof Problem && session.error.status === 401) {
      const signedIn = () => {
        navigate("/", { replace: true });
        queries.invalidateQueries();
      };
      return at.pathname === "/first-start" ? (
        <FirstStart onSignedIn={signedIn} />
      ) : (
        <SignIn onSignedIn={() => queries.invalidateQueries()} />
      );
    }
    return (
      <div className="mx-auto mt-24 max-w-lg">
        <Failure error={session.error} retry={() => session.refetch()} />
      </div>
    );
  }
  return (
    <Shell user={session.data.name}>
      <Routes>
        <Route path="/" element={<Landing />} />
        <Route path="/first-start" element={<Navigate to="/" replace />} />
        <Route path="/setup" element={<SetupView />} />
        <Route path="/network" element={<NetworkView />} />
        <Route path="/trunks/:trunk?/:section?" element={<TrunksView />} />
        <Route path="/plan/:kind?/:id?" element={<PlanView />} />
        <Route path="/routing/:table?/:rule?" element={<RoutingView />} />
        <Route path="/outbound-setup" element={<OutboundSetupView />} />
        <Route path="/permissions" element={<PermissionsView />} />
        <Route path="/numbers/:id?" element={<NumbersView />} />
        <Route path="/calendars/:id?" element={<CalendarsView />} />
        <Route path="/test-call" element={<TestCallView />} />
        <Route path="/checks" element={<ChecksView />} />
        <Route path="/changes" element={<ChangesView />} />
        <Route path="/calls" element={<CallsView />} />
        <Route path="/calls/:id" element={<CallView />} />
        <Route path="/active-calls" element={<ActiveCallsView />} />
        <Route path="/blocked-sources" element={<BlockedSourcesView />} />
        {Object.entries(moved).map(([was, is]) => (
          <Route key={was} path={`${was}/:id?`} element={<Moved to={is} />} />
        ))}
        <Route path="*" element={<p className="p-6">There is no such view. Choose one above.</p>} />
      </Routes>
    </Shell>
  );
}

/** Views that had other addresses once. */
const moved = {
  "/gate": "/blocked-sources",
  "/callers": "/permissions",
  "/hours": "/calendars",
  "/try": "/test-call",
  "/guide": "/outbound-setup",
};

function Moved({ to }: { to: string }) {
  const { id } = useParams();
  const { search } = useLocation();
  return <Navigate to={`${to}${id ? `/${id}` : ""}${search.replace(/\bhand=/g, "override=")}`} replace />;
}

/** The first view: the network, or the set-up while nothing is live. */
function Landing() {
  const network = useNetwork();
  const navigate = useNavigate();
  const revision = network.data?.revision;
  useEffect(() => {
    // Whoever has pressed the key of another view meanwhile is on the way there.
    if (revision === undefined || window.location.pathname !== "/") return;
    navigate(revision === 0 ? "/setup" : "/network", { replace: true });
  }, [revision, navigate]);
  if (network.isError && !network.data)
    return <Failure error={network.error} retry={() => network.refetch()} />;
  return <Loading what="the network" />;
}
