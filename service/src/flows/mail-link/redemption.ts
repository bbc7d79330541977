/** What is shown with a mailed link, and what comes of using it. */
import type { CallOf, RegistrationCredential, ReplyOf, routes } from "@lucchetto/contract";
import type { RequestOrigin } from "../../records/context.ts";

/** By what a browser is known. */
export interface BrowserMarks {
  readonly mark: string | undefined;
  /** The token of its sign-in in progress. */
  readonly signInToken: string | undefined;
  /** The living session that it holds; asked for only where it matters. */
  session(): Promise<string | null>;
}

/** What is shown with the link. */
export interface Redemption {
  readonly secret: string;
  /** A new password. */
  readonly password?: string | undefined;
  /** The password from the registration; or one thing from before a change that is undone: the password, or a proof. */
  readonly present?: CallOf<typeof routes.redeemLink>["body"]["present"];
  /** With an invitation: a passkey in the password's place. */
  readonly challengeId?: string | undefined;
  readonly credential?: RegistrationCredential | undefined;
  /** Of a first proof: ids of what was set up before and is to be removed. */
  readonly notMine?: readonly string[] | undefined;
  readonly visit: RequestOrigin;
  readonly marks: BrowserMarks;
}

export type Redeemed = Extract<ReplyOf<typeof routes.redeemLink>, { status: 200 }>["body"];
