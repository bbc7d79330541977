<script lang="ts">
  /** Links with which a new password is chosen: after forgetting it, or with an invitation. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import { knowsPasskeys, makePasskey } from "../lib/passkeys.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Fill from "../parts/Fill.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: Redemption) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  let password = $state("");
  let repeated = $state("");
  const judge = (): Record<string, string> => judgeNewPassword(password, repeated);
  /** A passkey in the password's place. */
  async function byPasskey(): Promise<void> {
    form.problem = null;
    form.errors = {};
    try {
      await redeem(await makePasskey("register", look.name));
    } catch (error) {
      form.take(error);
    }
  }
  const words = $derived(
    look.purpose === "invite"
      ? {
          heading: texts.linkPassword.welcomeTo(page.site.name),
          next: texts.linkPassword.chooseAPasswordToFinish,
          button: texts.linkPassword.getStarted,
        }
      : {
          heading: texts.linkPassword.chooseANewPassword,
          next: texts.linkPassword.youWillBeSignedOut,
          button: texts.linkPassword.savePassword,
        },
  );
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form
    class="space-y-5"
    novalidate
    onsubmit={(event) => form.submit(event, judge, () => redeem({ password }))}
  >
    <FormProblem problem={form.problem} />
    <WhosePassword name={look.name} />
    <p>
      <Fill text={texts.linkPassword.account}
        >{#snippet name()}<strong class="break-all">{look.name}</strong>{/snippet}</Fill
      >
    </p>
    <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    <MainButton text={words.button} busyText={texts.linkPassword.saving} busy={form.sending} />
    {#if look.purpose === "invite" && knowsPasskeys}
      <ActionButton size="lg" class="w-full" onclick={byPasskey}
        >{texts.passkeys.useAPasskeyInstead}</ActionButton
      >
    {/if}
  </form>
</PersonFrame>
