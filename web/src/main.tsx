import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/atkinson-hyperlegible-mono";
import "./page.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Pages } from "./Pages";
import { dress, theme } from "./theme";

const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });
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
