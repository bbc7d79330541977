import type { RegistrationCredential } from "@lucchetto/contract";
import type { SecondProof } from "./second-proof.ts";

/** What is shown with a mailed link. */
export interface Redemption {
  /** A new one. */
  readonly password?: string;
  /** The password from the registration, or one thing from before a change that is undone. */
  readonly present?: string | SecondProof;
  /** Ids of what was set up before the address was proved, and is not one's own. */
  readonly notMine?: string[];
  /** A passkey in the password's place. */
  readonly challengeId?: string;
  readonly credential?: RegistrationCredential;
}
