import "@fontsource-variable/public-sans";
import "@fontsource-variable/bricolage-grotesque";
import "./index.css";
import { notifyManager, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Problem } from "./api/client";
import { onReturn } from "./api/connection";
import { Application } from "./application";
import { meQuery, storesQuery } from "./frame/queries";

// Dialogs lock the page's scrolling with a style element, which the content security
// policy allows by this nonce only.
setNonce(document.querySelector<HTMLMetaElement>("meta[name=csp-nonce]")?.content ?? "");

// An answer is drawn at once: a timer would wait for frames that show none of it.
notifyManager.setScheduler(queueMicrotask);

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (count, error) => count < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
});

// What could not be shown comes back by itself.
onReturn(() => void client.invalidateQueries());

// Both are on their way already, as is the code of the view: see index.html.
void client.prefetchQuery(meQuery);
void client.prefetchQuery(storesQuery);

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <Application />
      </QueryClientProvider>
    </StrictMode>,
  );
