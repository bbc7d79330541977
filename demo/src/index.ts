/** What the demo runner and the tests take from this room. */
export { createSampleApp } from "./app/app.ts";
export { SCHEME_CHANGED } from "./data/history.ts";
export { load, registerApp } from "./data/load.ts";
export { MEMBER, OPERATOR } from "./data/people.ts";
