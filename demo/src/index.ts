/** What the demo runner and the tests take from this room. */
export { createSampleApp } from "./app/app.ts";
export { OLD_SCHEMES, SCHEME_CHANGED } from "./data/history.ts";
export { deskLinks, load, registerApp } from "./data/load.ts";
export { makePasskey, usePasskey } from "./authenticator/software-authenticator.ts";
export {
  AUDITOR,
  KEEPER,
  MEMBER,
  newWebhookSecret,
  OFFICE,
  OPERATOR,
  PASSKEY_KEEPER,
} from "./data/people.ts";
