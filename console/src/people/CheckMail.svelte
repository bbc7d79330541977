<script lang="ts">
  /** After registering, or where the address is not proved yet: a mail waits to be opened. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { withNext } from "../lib/next.ts";
  import { call, go, page } from "../lib/page.ts";
  import { hearMailUsed } from "../lib/tabs.ts";
  import Interpolate from "../parts/Interpolate.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SendAgain from "../parts/SendAgain.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    email: string;
    heading?: string;
    next: string;
    /** Seconds before it may be sent again. */
    pause?: number;
    /** The path to go on to afterwards. */
    returnTo?: string;
  }
  const { email, heading = texts.checkMail.checkYourMail, next, pause = 30, returnTo }: Props = $props();

  const signInPath = $derived(withNext("/sign-in", { name: email }, returnTo ?? null));
  // The link was used in another tab of this browser: then there is nothing to wait for here.
  onMount(() => hearMailUsed("verify", () => go(signInPath)));

  async function again(): Promise<void> {
    await call(routes.askForLink, { body: { purpose: "verify", identifier: email, returnTo } });
  }
</script>

<PersonFrame {heading} {next}>
  <p role="status">
    <Interpolate text={texts.checkMail.openTheLinkSentTo} life={page.linksWorkFor.verify}
      >{#snippet address()}<strong class="break-all">{email}</strong>{/snippet}</Interpolate
    >
  </p>
  <MailHint />
  <SendAgain send={again} {pause} />
  <p class="mt-2"><a href={signInPath}>{texts.checkMail.signIn}</a></p>
</PersonFrame>
