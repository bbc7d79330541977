<script lang="ts">
  /** Links that want one click: an address to be confirmed. In another browser than the one that registered, a password too. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { rareTexts as rare } from "../texts/rare.ts";

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
          heading: rare.linkVerify.useThisAddress,
          next: rare.linkVerify.itBecomesTheAddressOf,
          button: rare.linkVerify.useIt,
        }
      : look.purpose === "invite"
        ? {
            heading: rare.linkVerify.welcomeTo(page.site.name),
            next: rare.linkVerify.confirmToStartUsingYour,
            button: rare.linkVerify.getStarted,
          }
        : {
            heading: rare.linkVerify.confirmYourAddress,
            next: wantsPassword
              ? rare.linkVerify.youRegisteredInADifferent
              : rare.linkVerify.confirmThatThisAddressIs,
            button: rare.linkVerify.confirmAddress,
          },
  );

  function judge(): Record<string, string> {
    if (!wantsPassword) return {};
    if (choosesNew) return judgeNewPassword(password, repeated);
    return present === "" ? { present: rare.linkVerify.enterThePasswordYouChose } : {};
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
        <p class="text-quiet">{rare.linkVerify.everythingSetUpDuringRegistration}</p>
        <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
      {:else}
        <PasswordField
          name="present"
          label={rare.linkVerify.passwordYouRegisteredWith}
          bind:value={present}
          autocomplete="current-password"
          error={form.errors["present"]}
        />
      {/if}
    {/if}
    <MainButton text={words.button} busyText={rare.linkVerify.oneMoment} busy={form.sending} />
  </form>
  {#if wantsPassword}
    <p class="mt-6">
      <ActionButton kind="text" class="text-left" onclick={() => (choosesNew = !choosesNew)}>
        {choosesNew ? rare.linkVerify.iKnowThePasswordI : rare.linkVerify.iDontKnowItOr}
      </ActionButton>
    </p>
  {/if}
</PersonFrame>
