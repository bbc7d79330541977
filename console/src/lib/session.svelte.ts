/** Who is signed in. Until the service has answered the state is `unknown`, and pages show neither. */
import type { Account, Session } from "@lucchetto/contract";
import { ProblemError } from "@lucchetto/contract/pages";
import { routes } from "virtual:routes";
import { withNext } from "./next.ts";
import { call } from "./page.ts";
import { sentenceOf } from "./sentence.ts";
import { keepTyped, restoreTyped } from "./typed.ts";

export type WhoIsThere =
  | { readonly state: "unknown" }
  | { readonly state: "guest" }
  | { readonly state: "signed-in"; readonly account: Account; readonly session: Session }
  | { readonly state: "failed"; readonly message: string };

class SessionOfThisBrowser {
  who: WhoIsThere = $state({ state: "unknown" });
  /** Somebody was signed in while this page was open. */
  wasSignedIn = $state(false);

  /** Asks the service. */
  async ask(): Promise<void> {
    try {
      const { body } = await call(routes.showSession);
      this.who = { state: "signed-in", ...body };
      this.wasSignedIn = true;
    } catch (error) {
      if (error instanceof ProblemError && error.problem.code === "not-signed-in") {
        if (this.who.state === "signed-in") keepTyped(this.who.account.id);
        this.who = { state: "guest" };
      } else this.who = { state: "failed", message: sentenceOf(error) };
    }
  }

  /** Asks, and sends a guest off to sign in and back to this page. */
  async askOrSignIn(): Promise<void> {
    await this.ask();
    if (this.who.state === "signed-in") {
      const { id } = this.who.account;
      // Once the page has filled in its forms.
      setTimeout(() => void restoreTyped(id));
    }
    if (this.who.state !== "guest") return;
    window.location.replace(withNext("/sign-in", {}, window.location.pathname + window.location.search));
  }
}

export const session = new SessionOfThisBrowser();
