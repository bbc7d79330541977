/** The order of the rooms, of the service's floors, and no circles of files or folders: held here alone. */

/** What each room may import of ours: imports only ever point down the list. */
const ROOMS = {
  core: [],
  contract: [],
  hasp: ["contract"],
  service: ["contract", "core"],
  // Of core only what is pure enough for a page.
  console: ["contract", "core/src/password/strength"],
  rehearsal: ["contract"],
  cli: ["contract", "core", "hasp", "rehearsal"],
  demo: ["hasp", "contract"],
};

/** The floors of the service, from the lowest up; a folder imports from its own floor and from those below, types too. */
const FLOORS = ["base", "records", "people", "flows", "edges", "start", "(main|index)\\.ts"];

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

const floor = (name, height) => ({
  name: `service-floor-${height}`,
  comment: `What lies on ${name} knows nothing of the floors above.`,
  severity: "error",
  from: { path: `^service/src/${name}`, pathNot: "\\.test\\.ts$" },
  to: { path: `^service/src/(${FLOORS.slice(height + 1).join("|")})` },
});

/** What in the service may say that an account may be changed: what reads or spends, in the transaction, what allows it. */
const GRANTING = [
  "people/account/erase",
  "records/account/store",
  "records/granting/(actor|own-change)",
  "records/mail-link/store",
  "records/sign-in/store",
  "base/storage/(index|granted)",
];

export default {
  forbidden: [
    ...Object.entries(ROOMS).map(room),
    ...FLOORS.slice(0, -1).map(floor),
    {
      name: "granting",
      severity: "error",
      from: { path: "^service/src/", pathNot: `^service/src/(${GRANTING.join("|")})\\.ts$` },
      to: { path: "^service/src/base/storage/granted\\.ts$" },
    },
    {
      name: "no-circles",
      severity: "error",
      from: { path: "^(core|contract|hasp|service|rehearsal|cli|demo|console)/src/" },
      to: { circular: true },
    },
    {
      name: "no-circles-of-folders",
      severity: "error",
      scope: "folder",
      from: { path: "^service/src/[^/]+/" },
      to: { circular: true },
    },
    {
      name: "apps-without-operators",
      comment: "Applications load none of the operators' calls and shapes.",
      severity: "error",
      from: { path: "^contract/src/apps\\.ts$" },
      to: { path: "^contract/src/(routes|shapes)/(operators|development)", reachable: true },
    },
    {
      name: "hasp-for-apps",
      severity: "error",
      from: { path: "^hasp/src/", pathNot: "\\.test\\.ts$" },
      to: { path: "^contract/src/(index|routes/index)\\.ts$" },
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
