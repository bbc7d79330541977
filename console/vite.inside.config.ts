import { svelte } from "@sveltejs/vite-plugin-svelte";
import { defineConfig } from "vite";
import { isOfInside, routesWithoutSchemas } from "./routes-plugin.ts";

/** Looking inside, apart from the pages: in production nothing of it is served. */
export default defineConfig({
  base: "./",
  publicDir: false,
  plugins: [svelte(), routesWithoutSchemas(isOfInside)],
  resolve: { conditions: ["source", "svelte", "browser", "module", "import", "default"] },
  build: {
    target: "es2022",
    outDir: "dist/inside",
    modulePreload: false,
    cssCodeSplit: false,
    rolldownOptions: {
      preserveEntrySignatures: "strict",
      input: ["src/inside/start.ts", "src/inside/show.ts"],
      output: {
        entryFileNames: "[name].js",
        chunkFileNames: "[name].js",
        assetFileNames: "[name][extname]",
      },
    },
  },
});
