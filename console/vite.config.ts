import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { dictionary } from "@zxcvbn-ts/language-common";
import type { Plugin } from "vite";
import { defineConfig } from "vite";

/** The running service, in development. */
const SERVICE = process.env["LUCCHETTO_URL"] ?? "http://localhost:8420";
const PAGE_STATE = /<script type="application\/json" id="page-state">.*?<\/script>/s;

/** In development the page's state comes from the running service, as it does when the service serves the page. */
function pageState(): Plugin {
  return {
    name: "page-state",
    apply: "serve",
    async transformIndexHtml(html, { originalUrl = "/account" }) {
      const response = await fetch(SERVICE + originalUrl, { headers: { accept: "text/html" } });
      return html.replace("<!--page-state-->", PAGE_STATE.exec(await response.text())?.[0] ?? "");
    },
  };
}

const COMMON = "virtual:common-passwords";
/** How many the strength estimate knows; the service knows them all. */
const COMMON_KNOWN = 3_000;

/** The commonest passwords, for the estimate while somebody types. */
function commonPasswords(): Plugin {
  return {
    name: "common-passwords",
    resolveId: (id) => (id === COMMON ? `\0${COMMON}` : null),
    load: (id) =>
      id === `\0${COMMON}`
        ? `export default ${JSON.stringify(dictionary["passwords-common"].slice(0, COMMON_KNOWN))};`
        : null,
  };
}

/** Calls go to the service, which sees its own origin. */
const toService = { target: SERVICE, changeOrigin: true, headers: { origin: SERVICE } };

export default defineConfig({
  base: "./",
  plugins: [tailwindcss(), svelte(), pageState(), commonPasswords()],
  resolve: { conditions: ["source", "svelte", "browser", "module", "import", "default"] },
  // Nothing is inlined: the policy lets fonts and images come from files alone.
  build: {
    target: "es2022",
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    chunkSizeWarningLimit: 900,
  },
  server: { port: 8425, proxy: { "/v1": toService, "/oauth": toService, "/openapi.json": toService } },
});
