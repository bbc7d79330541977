import { readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { promisify } from "node:util";
import { brotliCompress, constants, gzip as gzipCompress } from "node:zlib";
import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { dictionary } from "@zxcvbn-ts/language-common";
import type { Plugin } from "vite";
import { defineConfig } from "vite";
import { isOfInside, routesWithoutSchemas } from "./routes-plugin.ts";

/** What every page needs: the framework, the interface parts of forms, and of ours what stands on all people's pages. */
const BASE =
  /node_modules\/(svelte|clsx|esm-env|tailwind-variants|tailwind-merge|flowbite-svelte\/dist\/(context|theme\/|utils\/(CloseButton|dismissable|theme)|alert\/|buttons\/|spinner\/|forms\/(checkbox|input-field|label)\/))|vite\/preload-helper|console\/src\/(texts\/(en|texts)|lib\/(sentence|form|page)|parts\/(ActionButton|Fill|FormProblem|MainButton|Field|Notice|PasswordField|PersonFrame|Tick))\b/;
const brotli = promisify(brotliCompress);
const gzip = promisify(gzipCompress);

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

/** Everything that browsers load, compressed once and for all. Fonts are compressed already. */
function compressed(): Plugin {
  return {
    name: "compressed",
    apply: "build",
    async writeBundle({ dir = "" }, bundle) {
      const texts = Object.keys(bundle).filter((name) => /^assets\/.*\.(js|css|svg)$/.test(name));
      await Promise.all(
        texts.map(async (name) => {
          const source = await readFile(join(dir, name));
          const params = {
            [constants.BROTLI_PARAM_QUALITY]: constants.BROTLI_MAX_QUALITY,
            [constants.BROTLI_PARAM_SIZE_HINT]: source.length,
          };
          await writeFile(join(dir, `${name}.br`), await brotli(source, { params }));
          await writeFile(
            join(dir, `${name}.gz`),
            await gzip(source, { level: constants.Z_BEST_COMPRESSION }),
          );
        }),
      );
    },
  };
}

/** Calls go to the service, which sees its own origin. */
const toService = { target: SERVICE, changeOrigin: true, headers: { origin: SERVICE } };

export default defineConfig({
  base: "./",
  plugins: [
    tailwindcss(),
    svelte(),
    pageState(),
    commonPasswords(),
    routesWithoutSchemas((name) => !isOfInside(name)),
    compressed(),
  ],
  resolve: { conditions: ["source", "svelte", "browser", "module", "import", "default"] },
  // Nothing is inlined: the policy lets fonts and images come from files alone.
  build: {
    target: "es2022",
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    chunkSizeWarningLimit: 900,
    // What nothing uses of the interface parts is left out, although their package does not say that this is safe.
    rolldownOptions: {
      treeshake: { moduleSideEffects: (id) => !/flowbite-svelte|tailwind-variants/.test(id) },
      // What every page needs comes in one file.
      output: {
        codeSplitting: { groups: [{ name: "base", test: BASE }] },
        // Every page carries the names of all files: what is drawn at random in them does not compress.
        chunkFileNames: "assets/[hash:8].js",
      },
    },
  },
  server: { port: 8425, proxy: { "/v1": toService, "/oauth": toService, "/openapi.json": toService } },
});
