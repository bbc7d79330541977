<script lang="ts">
  /** In place, before something sensitive: who is it? What the person was doing goes on afterwards. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { withNext } from "../lib/next.ts";
  import { call, page } from "../lib/page.ts";
  import { askForPasskey, knowsPasskeys } from "../lib/passkeys.ts";
  import type { SecondProof } from "../lib/second-proof.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  import FormProblem from "./FormProblem.svelte";
  import MainButton from "./MainButton.svelte";
  import PasswordField from "./PasswordField.svelte";
  import SecondFactorForm from "./SecondFactorForm.svelte";
  import WhosePassword from "./WhosePassword.svelte";

  interface Props {
    name: string | null;
    shown: () => Promise<void>;
    /** Where somebody without a password comes back to, who signs in again by mail. */
    next?: string;
  }
  const { name, shown, next = window.location.pathname + window.location.search }: Props = $props();
  const mailAddress = $derived(withNext("/sign-in", { by: "mail", name: name ?? "" }, next));
  const form = new Form();
  let password = $state("");
  /** Of the second factor; empty while the password is asked for. */
  let wanted: readonly string[] | null = $state(null);

  async function send(): Promise<void> {
    await go({ type: "password", password });
  }

  async function go(proof: { type: "password"; password: string } | SecondProof): Promise<void> {
    const reply = await call(routes.reauthenticate, { body: { proof } });
    // The password again: the code came too late after it.
    wanted = reply.status === 202 && !reply.body.wanted.includes("password") ? reply.body.wanted : null;
    if (reply.status === 201) await shown();
  }
  /** One that verifies who holds it is enough by itself. */
  async function byPasskey(): Promise<void> {
    form.problem = null;
    form.errors = {};
    try {
      await go(await askForPasskey("reauthenticate"));
    } catch (error) {
      form.problem = sentenceOf(error);
    }
  }
  /** Who has no password is not asked for one. */
  let hasPassword = $state(true);
  onMount(async () => {
    ({ hasPassword } = (await call(routes.listPasskeys)).body);
  });
  const judge = (): Record<string, string> =>
    password === "" ? { password: texts.reauthenticate.enterYourPassword } : {};
</script>

{#if wanted !== null}
  <p class="mb-5">{texts.reauthenticate.passwordAcceptedNowYourSecond}</p>
  <SecondFactorForm {wanted} purpose="reauthenticate" buttonText={texts.reauthenticate.continue} send={go} />
{:else}
  <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    <p>{texts.reauthenticate.youSignedInAWhile}</p>
    {#if hasPassword}
      <WhosePassword {name} />
      <PasswordField
        name="password"
        label={texts.reauthenticate.yourPassword}
        bind:value={password}
        autocomplete="current-password"
        error={form.errors["password"]}
      />
      <MainButton
        text={texts.reauthenticate.continue}
        busyText={texts.reauthenticate.checking}
        busy={form.sending}
      />
    {/if}
    {#if knowsPasskeys}
      <ActionButton size="lg" class="w-full" disabled={form.sending} onclick={byPasskey}
        >{hasPassword ? texts.passkeys.useAPasskeyInstead : texts.passkeys.useAPasskey}</ActionButton
      >
    {/if}
    {#if page.mailLink !== "off"}
      <p>
        {texts.reauthenticate.noPassword} <a href={mailAddress}>{texts.reauthenticate.signInAgainWithA}</a>
      </p>
    {/if}
  </form>
{/if}
