/** What many steps do: sign in through the application, and look whether one is in. */
import { StepFailed, StepLeftOut } from "./failed.ts";
import { serviceTime } from "./moved-clock.ts";
import type { Walk } from "./walk.ts";

export const textOf = async (walk: Walk): Promise<string> => (await walk.page()).locator("body").innerText();

/** Whether the tab shows the closed page. */
export async function isInside(walk: Walk): Promise<boolean> {
  const page = await walk.page();
  return walk.marker === null
    ? !(await walk.forms.asksForPassword(page)) && !(await walk.forms.asksForCode(page))
    : walk.shows(await textOf(walk));
}

/** Signs in from the closed page on, with a code where there is an authenticator app. @throws StepFailed. */
export async function signInAgain(walk: Walk): Promise<void> {
  const page = await walk.open(walk.closedAddress);
  await walk.forms.signInOn(page, walk.email, walk.password);
  if (walk.authenticator !== null && (await walk.forms.asksForCode(page)))
    await walk.forms.typeCode(page, await freshCode(walk));
  if (await isInside(walk)) return;
  const complaint = await walk.forms.complaintOf(page);
  throw new StepFailed(`after signing in ${page.url()} is shown: ${complaint || "not the requested page"}`);
}

/** Milliseconds between two looks at the clock. */
const WAIT = 500;

/** A code that was not used yet: of the period that comes, which counts already (RFC 6238, section 5.2). */
export async function freshCode(walk: Walk): Promise<string> {
  if (walk.authenticator === null) throw new StepLeftOut("no authenticator app was set up");
  const { authenticator } = walk;
  const now = await serviceTime(walk.client);
  const at = Math.max(now, walk.codesUsedUntil);
  // One period ahead is taken; further ahead is waited for.
  while (at > (await serviceTime(walk.client)) + authenticator.period)
    await new Promise((resolve) => setTimeout(resolve, WAIT));
  walk.codesUsedUntil = (Math.floor(at / authenticator.period) + 1) * authenticator.period;
  return authenticator.codeAt(at);
}
