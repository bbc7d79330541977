/** The pages. All other sources are linted by `.oxlintrc.json`, with the same rules in a tenth of the time. */
import js from "@eslint/js";
import prettier from "eslint-config-prettier";
import importSort from "eslint-plugin-simple-import-sort";
import svelte from "eslint-plugin-svelte";
import globals from "globals";
import ts from "typescript-eslint";
import svelteConfig from "./console/svelte.config.js";

const PAGES = ["console/src/**/*.svelte", "console/src/**/*.svelte.ts"];

export default ts.config(
  { ignores: ["**/*.js", "**/*.mjs", "**/*.cjs", "**/*.ts", "!console/src/**/*.svelte.ts", "**/dist/**"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...ts.configs.stylistic,
  ...svelte.configs.recommended,
  prettier,
  ...svelte.configs.prettier,
  {
    files: PAGES,
    languageOptions: {
      globals: globals.browser,
      parserOptions: { parser: ts.parser, extraFileExtensions: [".svelte"], svelteConfig },
    },
    plugins: { "import-sort": importSort },
    rules: {
      // One block: node's own, packages, then ours by path.
      "import-sort/imports": [
        "error",
        { groups: [["^\\u0000", "^node:", "^@?\\w", "^", "^\\.\\.", "^\\."]] },
      ],
      "@typescript-eslint/consistent-type-imports": "error",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "@typescript-eslint/array-type": ["error", { default: "array-simple" }],
      "@typescript-eslint/no-invalid-void-type": "off",
      eqeqeq: "error",
      "no-console": "error",
      "svelte/no-navigation-without-resolve": "off",
    },
  },
);
