import "@fontsource-variable/figtree";
import "@fontsource-variable/bricolage-grotesque";
import "@fontsource-variable/jetbrains-mono";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Shell } from "./app/Shell";
import { queries } from "./session/store";
import { look, system, wear } from "./ui/theme";

wear(look());
// before anything is shown: a redirect later could undo a click that came first
if (location.pathname === "/") history.replaceState(null, "", `/gather${location.search}`);
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Shell />
        </BrowserRouter>
      </QueryClientProvider>
    </ChakraProvider>,
  );
