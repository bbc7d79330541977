<script lang="ts">
  /** Where every mailed link lands. The secret is in the fragment, which no server sees; opening the page changes nothing. */
  import type { LinkLook } from "@lucchetto/contract";
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { forgetMailWaits } from "../lib/mail-waits.ts";
  import { at, call } from "../lib/page.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { tellMailUsed } from "../lib/tabs.ts";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";
  import LinkChange from "./LinkChange.svelte";
  import LinkDone from "./LinkDone.svelte";
  import LinkFault from "./LinkFault.svelte";
  import LinkPassword from "./LinkPassword.svelte";
  import LinkSignIn from "./LinkSignIn.svelte";
  import LinkUndo from "./LinkUndo.svelte";
  import LinkVerify from "./LinkVerify.svelte";

  const secret = window.location.hash.slice(1);
  let look: LinkLook | null = $state(null);
  let fault: { code: string; title: string; detail: string } | null = $state(null);
  let done: LinkLook | null = $state(null);
  /** Of an account that was registered with a passkey. */
  let codes: readonly string[] | null = $state(null);

  onMount(async () => {
    // Another link opened in this tab changes the fragment alone; it begins anew.
    window.addEventListener("hashchange", () => window.location.reload());
    // Read once, and gone from the address bar and the history.
    window.history.replaceState(null, "", at("/link"));
    try {
      look = (await call(routes.lookAtLink, { body: { secret } })).body;
    } catch (error) {
      take(error);
    }
  });

  /** What is wrong with the link itself takes the page's place; anything else is for the form. */
  function take(error: unknown): void {
    if (!(error instanceof ProblemError))
      fault = { code: "", title: texts.link.thisCannotBeShownRight, detail: sentenceOf(error) };
    else if (/^(link-|address-taken)/.test(error.problem.code)) fault = error.problem;
    else throw error;
  }

  /** Uses it with what was filled in. */
  async function redeem(shown: Redemption): Promise<void> {
    try {
      const { body } = await call(routes.redeemLink, { body: { secret, ...shown } });
      codes = "recoveryCodes" in body ? (body.recoveryCodes ?? null) : null;
      done = look;
      forgetMailWaits();
      if (look !== null) tellMailUsed(look.purpose);
      // Password managers take a change of the page's address as success.
      window.history.replaceState(null, "", at("/link?done"));
    } catch (error) {
      take(error);
    }
  }
</script>

{#if done !== null}
  <LinkDone look={done} {codes} />
{:else if fault !== null}
  <LinkFault {fault} purpose={look?.purpose ?? null} />
{:else if look === null}
  <PersonFrame heading={texts.link.oneMoment}><span></span></PersonFrame>
{:else if look.purpose === "sign-in"}
  <LinkSignIn {look} {secret} {take} />
{:else if look.purpose === "change-email" && !look.here}
  <LinkChange {look} {secret} {take} />
{:else if look.wants === "thing-from-before" || look.purpose === "undo-change" || look.purpose === "undo-factor" || look.purpose === "undo-erase"}
  <LinkUndo {look} {redeem} />
{:else if look.wants === "new-password"}
  <LinkPassword {look} {redeem} />
{:else}
  <LinkVerify {look} {redeem} />
{/if}
