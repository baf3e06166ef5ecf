import "@fontsource-variable/figtree/index.css";
import "@fontsource/dm-mono/400.css";
import "./page.css";
import { ChakraProvider } from "@chakra-ui/react";
import { CacheProvider } from "@emotion/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { App } from "./app";
import { keysToOpenMenus } from "./focus";
import { cache } from "./plain";
import { system } from "./theme";

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
