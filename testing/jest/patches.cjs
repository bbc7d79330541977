/**
 * What is changed of Jest's inside, by name (`testing/README.md` says what each is worth): `JEST_WITHOUT=share,forget npm test`
 * runs without these.
 */
const without = new Set((process.env.JEST_WITHOUT ?? "").split(","));

/** @param {"share" | "forget" | "calls"} patch */
exports.isOn = (patch) => !without.has(patch);
