/** Draws the app. */
import "@fontsource-variable/figtree";
import "@fontsource-variable/bricolage-grotesque";
import "@fontsource-variable/jetbrains-mono";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClientProvider } from "@tanstack/react-query";
import { startTransition } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { queries } from "../session/store";
import { look, system, wear } from "../ui/theme";
import { Shell } from "./Shell";

wear(look());
const root = document.getElementById("root");
if (root) {
  const drawn = createRoot(root);
  // in pieces, so that the page answers while it is drawn
  startTransition(() =>
    drawn.render(
      <ChakraProvider value={system}>
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <Shell />
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>,
    ),
  );
}
