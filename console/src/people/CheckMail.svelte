<script lang="ts">
  /** After registering, or where the address is not proved yet: a mail waits to be opened. */
  import { routes } from "virtual:routes";
  import { at, call, page } from "../lib/page.ts";
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
  }
  const { email, heading = texts.checkMail.checkYourMail, next, pause = 30 }: Props = $props();

  async function again(): Promise<void> {
    await call(routes.askForLink, { body: { purpose: "verify", identifier: email } });
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
  <p class="mt-2"><a href={at("/sign-in")}>{texts.checkMail.signIn}</a></p>
</PersonFrame>
