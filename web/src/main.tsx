import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { retryable } from "@/api/client";
import { whileTold } from "@/api/events";
import { keys } from "@/api/keys";
import { App } from "@/app/App";
import "./index.css";

const queries = new QueryClient({
  defaultOptions: {
    // Always: Switchback may be on this machine, and where it is not, a failure
    // that is told is better than a request that silently waits.
    queries: {
      retry: (count, error) => count < 2 && retryable(error),
      staleTime: 1000,
      networkMode: "always",
    },
    mutations: { networkMode: "always" },
  },
});

// Of these, events tell each change.
for (const queryKey of [keys.draft, keys.live]) queries.setQueryDefaults(queryKey, { staleTime: whileTold });

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
