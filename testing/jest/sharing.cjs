/** Whether test files of a worker share what `runtime.cjs` loads once; `PLAIN_JEST=1 npm test` runs without. */
exports.sharesModules = (process.env.PLAIN_JEST ?? "") === "";
