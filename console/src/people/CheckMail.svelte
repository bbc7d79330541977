<script lang="ts">
  /** After registering, or where the address is not proved yet: a mail waits to be opened. */
  import { routes } from "virtual:routes";
  import { inWords } from "../lib/minutes.ts";
  import { at, call, page } from "../lib/page.ts";
  import MailHint from "../parts/MailHint.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SendAgain from "../parts/SendAgain.svelte";

  interface Props {
    email: string;
    heading?: string;
    next: string;
    /** Seconds before it may be sent again. */
    pause?: number;
  }
  const { email, heading = "Check your mail", next, pause = 30 }: Props = $props();

  async function again(): Promise<void> {
    await call(routes.askForLink, { body: { purpose: "verify", identifier: email } });
  }
</script>

<PersonFrame {heading} {next}>
  <p role="status">
    Open the link in the mail to <strong class="break-all">{email}</strong>, in this browser if you can. It
    works for {inWords(page.linkMinutes.verify)}, and once.
  </p>
  <MailHint />
  <SendAgain send={again} {pause} />
  <p class="mt-2"><a href={at("/sign-in")}>Sign in</a></p>
</PersonFrame>
