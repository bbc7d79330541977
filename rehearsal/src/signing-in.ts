/** What many steps do: sign in through the application, and look whether one is in. */
import { bare } from "./bare.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { serviceTime } from "./moved-clock.ts";
import { click } from "./settle.ts";
import type { Walk } from "./walk.ts";

export const textOf = async (walk: Walk): Promise<string> => (await walk.page()).locator("body").innerText();

/** Whether the tab shows the closed page. */
export async function isInside(walk: Walk): Promise<boolean> {
  const page = await walk.page();
  return walk.marker === null
    ? !(await walk.forms.asksForPassword(page)) && !(await walk.forms.asksForCode(page))
    : walk.shows(await textOf(walk));
}

/** Pages on the way from a mail to the closed page: the mail's own, a sign-in, a code, one that says that it is done. */
const MAX_PAGES = 6;

/**
 * From where a mail left somebody back to the closed page, as a person goes: by the forms that ask who it is, and by the links that lead on. No
 * address is typed. @throws StepFailed where they would be stranded.
 */
export async function goOn(walk: Walk, person: { email: string; password: string } = walk): Promise<void> {
  const page = await walk.page();
  const seen: string[] = [];
  while (page.url() !== walk.closedAddress) {
    const { forms } = walk;
    seen.push(bare(page.url()));
    if (seen.length > MAX_PAGES) break;
    if (await forms.asksForPassword(page)) await forms.signInOn(page, person.email, person.password);
    else if (await forms.asksForCode(page)) await forms.typeCode(page, await freshCode(walk));
    else {
      const next = await forms.control(page, "goOn");
      if (next === null) break;
      await click(page, next);
    }
  }
  if (page.url() === walk.closedAddress) return;
  const complaint = await walk.forms.complaintOf(page);
  throw new StepFailed(
    `by links alone it went ${seen.join(", ")}, and not to ${walk.closedAddress}${complaint === "" ? "" : ` (“${complaint}”)`}`,
  );
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
