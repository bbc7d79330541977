/** One thing that is shown beside a mailed link: which one, and what was typed of it. */
import type { LinkLook } from "@lucchetto/contract";
import { isCodeProof } from "@lucchetto/contract/pages";
import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
import { askForPasskey } from "./passkeys.ts";
import type { Redemption } from "./redemption.ts";

export type Thing = LinkLook["shows"][number];

export class ThingShown {
  present = $state("");
  code = $state("");
  private chosen: Thing | null = $state(null);
  private readonly shows: () => readonly Thing[];

  /** @param shows what may be shown, the likeliest first. */
  constructor(shows: () => readonly Thing[]) {
    this.shows = shows;
  }

  get thing(): Thing | null {
    return this.chosen ?? this.shows()[0] ?? null;
  }

  get others(): readonly Thing[] {
    return this.shows().filter((one) => one !== this.thing);
  }

  choose(other: Thing): void {
    this.chosen = other;
  }

  /** What is missing, by field. @param enterPassword the sentence for the password. */
  judge(enterPassword: string): Record<string, string> {
    const { thing } = this;
    if (thing === "password" && this.present === "") return { present: enterPassword };
    return thing !== null && isCodeProof(thing) && this.code.trim() === ""
      ? { code: lazy.linkUndo.enterTheCode }
      : {};
  }

  /** The thing as it is sent; for a passkey the device asks now. */
  async show(): Promise<Pick<Redemption, "present">> {
    const { thing } = this;
    if (thing === null) return {};
    if (thing === "password") return { present: this.present };
    if (thing === "passkey") return { present: await askForPasskey("sign-in") };
    return { present: { type: thing, code: this.code.trim() } };
  }
}
