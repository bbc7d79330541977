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
          heading: "Use this address?",
          next: "From then on it is the address of your account.",
          button: "Use it",
        }
      : look.purpose === "invite"
        ? {
            heading: `Welcome to ${page.site.name}`,
            next: "One click, and the account is yours.",
            button: "Begin",
          }
        : {
            heading: "Confirm your address",
            next: wantsPassword
              ? "This is another browser than the one in which it was registered, so one thing more is asked."
              : "One click shows that it is yours.",
            button: "Confirm it",
          },
  );

  function judge(): Record<string, string> {
    if (!wantsPassword) return {};
    if (choosesNew) return judgeNewPassword(password, repeated);
    return present === "" ? { present: "Enter the password that you chose when you registered." } : {};
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
        <p class="text-quiet">Whatever was set up with the registration ends.</p>
        <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
      {:else}
        <PasswordField
          name="present"
          label="Password from the registration"
          bind:value={present}
          autocomplete="current-password"
          error={form.errors["present"]}
        />
      {/if}
    {/if}
    <MainButton text={words.button} busyText="One moment …" busy={form.sending} />
  </form>
  {#if wantsPassword}
    <p class="mt-6">
      <button type="button" class="text-link text-left underline" onclick={() => (choosesNew = !choosesNew)}>
        {choosesNew
          ? "I know the password from the registration"
          : "I do not know it, or did not register: choose a new one"}
      </button>
    </p>
  {/if}
</PersonFrame>
