<script lang="ts">
  /** Links that want one click: an address to be confirmed. In another browser than the one that registered, a password too. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: { password?: string; present?: string }) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  let choosesNew = $state(false);
  let present = $state("");
  let password = $state("");
  let repeated = $state("");
  const wantsPassword = $derived(look.wants === "any-password");
  const words = $derived(
    look.purpose === "change-email"
      ? {
          heading: texts.linkVerify.useThisAddress,
          next: texts.linkVerify.itBecomesTheAddressOf,
          button: texts.linkVerify.useIt,
        }
      : look.purpose === "invite"
        ? {
            heading: texts.linkVerify.welcomeTo(page.site.name),
            next: texts.linkVerify.confirmToStartUsingYour,
            button: texts.linkVerify.getStarted,
          }
        : {
            heading: texts.linkVerify.confirmYourAddress,
            next: wantsPassword
              ? texts.linkVerify.youRegisteredInADifferent
              : texts.linkVerify.confirmThatThisAddressIs,
            button: texts.linkVerify.confirmAddress,
          },
  );

  function judge(): Record<string, string> {
    if (!wantsPassword) return {};
    if (choosesNew) return judgeNewPassword(password, repeated);
    return present === "" ? { present: texts.linkVerify.enterThePasswordYouChose } : {};
  }
  const send = () => redeem(!wantsPassword ? {} : choosesNew ? { password } : { present });
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    <p><strong class="break-all">{look.newEmail ?? look.name}</strong></p>
    {#if wantsPassword}
      <WhosePassword name={look.name} />
      {#if choosesNew}
        <p class="text-quiet">{texts.linkVerify.everythingSetUpDuringRegistration}</p>
        <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
      {:else}
        <PasswordField
          name="present"
          label={texts.linkVerify.passwordYouRegisteredWith}
          bind:value={present}
          autocomplete="current-password"
          error={form.errors["present"]}
        />
      {/if}
    {/if}
    <MainButton text={words.button} busyText={texts.linkVerify.oneMoment} busy={form.sending} />
  </form>
  {#if wantsPassword}
    <p class="mt-6">
      <button type="button" class="text-link text-left underline" onclick={() => (choosesNew = !choosesNew)}>
        {choosesNew ? texts.linkVerify.iKnowThePasswordI : texts.linkVerify.iDontKnowItOr}
      </button>
    </p>
  {/if}
</PersonFrame>
