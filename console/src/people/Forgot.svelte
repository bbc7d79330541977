<script lang="ts">
  /** Asking for a link by mail. What is said next is the same whoever was named. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { nextOf, withNext } from "../lib/next.ts";
  import { call, go, page } from "../lib/page.ts";
  import { hearMailUsed } from "../lib/tabs.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SendAgain from "../parts/SendAgain.svelte";
  import { texts } from "../texts/texts.ts";

  const form = new Form();
  let identifier = $state(new URLSearchParams(window.location.search).get("name") ?? "");
  let asked = $state(false);

  async function ask(): Promise<void> {
    await call(routes.askForLink, {
      body: { purpose: "reset", identifier: identifier.trim(), returnTo: nextOf() ?? undefined },
    });
  }
  async function send(): Promise<void> {
    await ask();
    asked = true;
  }
  const signInPath = $derived(withNext("/sign-in", { name: identifier.trim() }));
  // The link was used in another tab of this browser: then there is nothing to wait for here.
  onMount(() => hearMailUsed("reset", () => asked && go(signInPath)));
  const judge = (): Record<string, string> =>
    identifier.trim() === "" ? { identifier: texts.forgot.enterYourEMailAddress } : {};
</script>

{#if asked}
  <PersonFrame heading={texts.forgot.checkYourMail} next={texts.forgot.ifThereIsAnAccount(identifier.trim())}>
    <p role="status">
      {texts.forgot.theLinkWorksOnce(page.linksWorkFor.reset)}
    </p>
    <MailHint />
    <SendAgain send={ask} />
    <p class="mt-2">
      <ActionButton kind="text" onclick={() => (asked = false)}>{texts.forgot.tryAnotherName}</ActionButton>
    </p>
    <p class="mt-2"><a href={signInPath}>{texts.forgot.backToSignIn}</a></p>
  </PersonFrame>
{:else if page.mail === "none"}
  <PersonFrame heading={texts.forgot.forgottenYourPassword} next={texts.forgot.thisSiteSendsNoMail}>
    <p>{texts.forgot.askThePeopleWhoRun}</p>
    <p class="mt-2"><a href={signInPath}>{texts.forgot.backToSignIn}</a></p>
  </PersonFrame>
{:else}
  <PersonFrame heading={texts.forgot.forgottenYourPassword} next={texts.forgot.youGetALinkBy}>
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <Field
        name="identifier"
        label={texts.forgot.eMailAddressOrUsername}
        bind:value={identifier}
        autocomplete="username"
        error={form.errors["identifier"]}
      />
      <MainButton text={texts.forgot.sendMeALink} busyText={texts.forgot.sending} busy={form.sending} />
    </form>
    <p class="mt-6"><a href={signInPath}>{texts.forgot.backToSignIn}</a></p>
  </PersonFrame>
{/if}
