import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

/** Leaves a compressed twin beside every script and style, which the server gives in its place (oskren/api/page.py). */
function packed(): Plugin {
  return {
    name: "packed",
    apply: "build",
    writeBundle({ dir }) {
      const folder = join(dir ?? "dist", "assets");
      for (const name of readdirSync(folder).filter((one) => /\.(js|css)$/.test(one))) {
        writeFileSync(join(folder, `${name}.gz`), gzipSync(readFileSync(join(folder, name)), { level: 9 }));
      }
    },
  };
}

export default defineConfig({
  plugins: [react(), packed()],
  // the manifest tells a test what a first visit loads
  build: {
    chunkSizeWarningLimit: 900,
    assetsInlineLimit: 0,
    manifest: "manifest.json",
    // Chakra makes a system of its own as it is loaded, which takes longer than all else in it; nobody uses that one
    rolldownOptions: { treeshake: { manualPureFunctions: ["createSystem"] } },
  },
  server: { proxy: { "/api": "http://127.0.0.1:4747" } },
});
