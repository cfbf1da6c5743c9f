import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/atkinson-hyperlegible-mono";
import "./page.css";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { isSignedOut } from "./api/people";
import { Pages } from "./Pages";
import { dress, theme } from "./theme";
import { keys } from "./api/keys";

/** Whatever says that nobody is signed in any more leads to the entrance. */
const toTheEntrance = (error: unknown) => {
  if (isSignedOut(error)) queries.setQueryData(keys.me, null);
};
const queries: QueryClient = new QueryClient({
  defaultOptions: {
    queries: { retry: (count, error) => count < 1 && !isSignedOut(error), refetchOnWindowFocus: false },
  },
  queryCache: new QueryCache({ onError: toTheEntrance }),
  mutationCache: new MutationCache({ onError: toTheEntrance }),
});
// A screen whose file is gone, since a newer version was installed meanwhile, comes with that version.
window.addEventListener("vite:preloadError", () => window.location.reload());
const root = document.getElementById("root");
if (root === null) throw new Error("the page has no root");
dress(document.documentElement);
createRoot(root).render(
  <StrictMode>
    <ConfigProvider theme={theme}>
      <AntApp className="page">
        <QueryClientProvider client={queries}>
          <BrowserRouter useTransitions={false}>
            <Pages />
          </BrowserRouter>
        </QueryClientProvider>
      </AntApp>
    </ConfigProvider>
  </StrictMode>,
);
