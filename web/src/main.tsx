import "@mantine/core/styles.css";
import "@fontsource-variable/source-serif-4/wght.css";
import "./theme/theme.css";
import { MantineProvider } from "@mantine/core";
import { MutationCache, notifyManager, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { ApiError } from "./api/client";
import { outdated } from "./shared/outdated";
import { theme } from "./theme/theme";

// An edit is on the screen before the next key is answered: what is typed right after it is made on top of it.
notifyManager.setScheduler(queueMicrotask);

const nonce = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "";
const queries = new QueryClient({
  defaultOptions: { queries: { retry: false, staleTime: 20_000 } },
  mutationCache: new MutationCache({
    onError: (error) => {
      // What somebody else did meanwhile is shown beside what is said of it.
      if (error instanceof ApiError && error.status === 409) outdated(queries);
    },
  }),
});
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <MantineProvider theme={theme} defaultColorScheme="auto" getStyleNonce={() => nonce}>
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </QueryClientProvider>
      </MantineProvider>
    </StrictMode>,
  );
}
