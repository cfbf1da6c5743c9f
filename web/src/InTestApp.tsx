import { QueryClient, QueryClientProvider, type QueryKey } from "@tanstack/react-query";
import { App, ConfigProvider } from "antd";
import { useState, type ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { keys } from "./api/keys";

interface Props {
  children: ReactNode;
  known?: readonly (readonly [QueryKey, unknown])[];
  at?: string;
}

/** What every screen stands in, for tests. known: what the server has answered before, by query; at: the address. */
export function InTestApp({ children, known = [], at = "/" }: Props) {
  const [queries] = useState(() => {
    const made = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
    made.setQueryData(keys.me, { name: "Anders", role: "supervisor", has_password: true, by_link: false });
    for (const [key, data] of known) made.setQueryData(key, data);
    return made;
  });
  return (
    <ConfigProvider theme={{ zeroRuntime: true }}>
      <App>
        <QueryClientProvider client={queries}>
          <MemoryRouter initialEntries={[at]}>{children}</MemoryRouter>
        </QueryClientProvider>
      </App>
    </ConfigProvider>
  );
}
