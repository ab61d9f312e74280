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
import { look, makeSystem, wear } from "../ui/theme";
import { Shell } from "./Shell";

/** Lets the browser do what else it has to do. */
const breath = () => new Promise((resolve) => setTimeout(resolve));

async function start(root: HTMLElement) {
  wear(look());
  await breath();
  const system = makeSystem();
  await breath();
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

const root = document.getElementById("root");
if (root) void start(root);
