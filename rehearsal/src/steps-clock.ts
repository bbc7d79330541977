/** The step that moves the clock: only where somebody wants it, for everybody's sessions end. */
import { routes } from "@lucchetto/contract";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { serviceTime, whileMoved } from "./moved-clock.ts";
import { isInside, signInAgain } from "./signing-in.ts";
import type { Step } from "./step.ts";
import { cookieHeader } from "./walk.ts";

/** Milliseconds past the end. */
const PAST_IT = 60_000;

export const CLOCK_STEPS: readonly Step[] = [
  {
    id: "expiry",
    title: "An idle session expires",
    expected: "after the idle limit the page is closed; it opens again after signing in",
    remedy:
      "Anybody who finds the browser open a week later is in. Check the session on every request; the limits are in docs/configuration.md (sessions.ordinary.idle).",
    needsBrowser: true,
    after: ["sign-in"],
    async try(walk) {
      if (!walk.movesClock)
        throw new StepLeftOut("needs --move-clock, which ends other people's sessions too");
      await walk.forgetBrowser();
      await signInAgain(walk);
      const cookie = cookieHeader(await walk.cookiesOf(walk.addresses.service));
      const reply = await walk.ask(new URL(routes.showSession.path, walk.addresses.service).href, {
        headers: { cookie, accept: "application/json" },
      });
      if (reply.status !== 200) throw new StepLeftOut("the session does not belong to Lucchetto");
      const { session } = JSON.parse(reply.text) as { session: { idleEndsAt: string } };
      const now = await serviceTime(walk.client);
      const ahead = Date.parse(session.idleEndsAt) - now + PAST_IT;
      return whileMoved({ client: walk.client, service: walk.addresses.service }, ahead, async () => {
        const page = await walk.open(walk.closedAddress);
        if (await isInside(walk))
          throw new StepFailed(`${Math.round(ahead / 60_000)} minutes later the page is still open`);
        return `${Math.round(ahead / 60_000)} minutes later ${page.url().split("?", 1)[0]} is shown instead`;
      });
    },
  },
];
