/** The order of the rooms, of what lies in the service, and no circles: held here alone. */

/** What each room may import of ours: imports only ever point down the list. */
const ROOMS = {
  core: [],
  contract: [],
  hasp: ["contract"],
  service: ["contract", "core"],
  // Of core only what is pure enough for a page.
  console: ["contract", "core/src/password/strength"],
  rehearsal: ["contract"],
  cli: ["contract", "core", "rehearsal"],
  demo: ["hasp", "contract"],
};

/** Within the service: what lies lower knows nothing of what lies higher. */
const BELOW_IN_SERVICE = {
  // A problem is a value; only http/ knows how it is sent.
  "problem\\.ts": "[^/]+/",
  "clock/clock\\.ts": "(?!clock/|storage/)[^/]+/",
  storage: "(?!storage/)[^/]+/",
  config: "(?!config/|mail/)[^/]+/",
};

const room = ([name, below]) => ({
  name: `room-${name}`,
  comment: `${name} imports of ours: ${below.join(", ") || "nothing"}.`,
  severity: "error",
  from: { path: `^${name}/src/`, pathNot: "\\.test\\.ts$" },
  to: {
    path: "^(core|contract|hasp|service|console|rehearsal|cli|demo)/",
    pathNot: [`^${name}/`, ...below.map((one) => `^${one}`)],
  },
});

const lower = ([path, forbidden]) => ({
  name: `service-${path.replace(/\W/g, "")}`,
  severity: "error",
  from: { path: `^service/src/${path}` },
  to: { path: `^service/src/${forbidden}`, dependencyTypesNot: ["type-only"] },
});

/** What in the service may say that an account may be changed: what reads or spends, in the transaction, what allows it. */
const GRANTING = [
  "account/(actor|erase|store)",
  "mail-link/store",
  "session/own-change",
  "sign-in/store",
  "storage/(index|granted)",
];

export default {
  forbidden: [
    ...Object.entries(ROOMS).map(room),
    ...Object.entries(BELOW_IN_SERVICE).map(lower),
    {
      name: "granting",
      severity: "error",
      from: { path: "^service/src/", pathNot: `^service/src/(${GRANTING.join("|")})\\.ts$` },
      to: { path: "^service/src/storage/granted\\.ts$" },
    },
    {
      name: "no-circles",
      severity: "error",
      from: { path: "^(core|contract|hasp|service|rehearsal|cli|demo|console)/src/" },
      to: { circular: true },
    },
    {
      name: "core-alone",
      comment: "core imports primitives, threads to compute them in, and an encoding.",
      severity: "error",
      from: { path: "^core/src/", pathNot: "\\.test\\.ts$" },
      to: {
        dependencyTypes: ["core", "npm", "npm-dev", "npm-no-pkg", "unknown"],
        pathNot:
          "^(crypto|url|worker_threads|node:crypto|node:url|node:worker_threads)$|node_modules/(@scure/base|@noble/curves|@noble/hashes|cborg|hash-wasm)/",
      },
    },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    exclude: { path: "(^|/)(dist|test)/|\\.svelte$" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.test.json" },
    enhancedResolveOptions: {
      exportsFields: ["exports"],
      conditionNames: ["source", "svelte", "import", "node", "default"],
      extensions: [".ts", ".mjs", ".js"],
    },
  },
};
