import js from "@eslint/js";
import prettier from "eslint-config-prettier";
import importSort from "eslint-plugin-simple-import-sort";
import svelte from "eslint-plugin-svelte";
import globals from "globals";
import ts from "typescript-eslint";
import svelteConfig from "./console/svelte.config.js";

export default ts.config(
  { ignores: ["**/dist/**", "**/node_modules/**", ".lucchetto/**", ".test-state/**", "**/.svelte-check/**"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...ts.configs.stylistic,
  ...svelte.configs.recommended,
  prettier,
  ...svelte.configs.prettier,
  {
    languageOptions: { globals: globals.node },
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
    },
  },
  { files: ["hasp/browser/*.js", "bench/page-weight.mjs"], languageOptions: { globals: globals.browser } },
  {
    files: ["console/src/**/*.svelte", "console/src/**/*.svelte.ts"],
    languageOptions: {
      globals: globals.browser,
      parserOptions: { parser: ts.parser, extraFileExtensions: [".svelte"], svelteConfig },
    },
    rules: { "svelte/no-navigation-without-resolve": "off" },
  },
  { files: ["console/src/**/*.ts"], languageOptions: { globals: globals.browser } },
  {
    // Hash bytes are compared in constant time, or not at all.
    files: ["core/src/**/*.ts", "service/src/**/*.ts"],
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector:
            "BinaryExpression[operator=/^[!=]==$/]:not([right.name='undefined']):not([right.type='Literal']) > MemberExpression[property.name=/^(hash|tokenHash|keyHash|codeHash)$/]",
          message: "Compare hash bytes with equalInConstantTime.",
        },
      ],
    },
  },
  {
    files: ["**/*.test.ts", "testing/**", "bench/**"],
    rules: {
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-empty-function": "off",
    },
  },
  { files: ["**/*.test.ts"], rules: { "no-control-regex": "off" } },
  // What Jest loads by require.
  { files: ["testing/jest/*.cjs"], rules: { "@typescript-eslint/no-require-imports": "off" } },
  { files: ["scripts/**", "demo/run.mjs"], rules: { "@typescript-eslint/no-empty-function": "off" } },
);
