import "@fontsource-variable/figtree/index.css";
import "@fontsource/dm-mono/400.css";
import "./page.css";
import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { App } from "./app";
import { keysToOpenMenus } from "./focus";
import { system } from "./theme";

// The server puts a nonce of its own in each page, which the policy asks of every style.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const cache = createCache({ key: "whorl", nonce });
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

keysToOpenMenus();
createRoot(document.getElementById("root")!).render(
  <CacheProvider value={cache}>
    <ChakraProvider value={system}>
      <QueryClientProvider client={queries}>
        <App />
      </QueryClientProvider>
    </ChakraProvider>
  </CacheProvider>,
);
