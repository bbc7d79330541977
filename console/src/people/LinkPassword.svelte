<script lang="ts">
  /** Links with which a new password is chosen: after forgetting it, an invitation, or a change that was not one's own. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";

  interface Props {
    look: LinkLook;
    redeem: (shown: { password: string }) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  let password = $state("");
  let repeated = $state("");
  const words = $derived(
    look.purpose === "invite"
      ? {
          heading: `Welcome to ${page.site.name}`,
          next: "Choose a password, and the account is yours.",
          button: "Begin",
        }
      : look.purpose === "undo-change"
        ? {
            heading: "Take the account back",
            next: `Its address becomes ${look.newEmail} again, all sessions end, and the old password does nothing any more.`,
            button: "Take it back",
          }
        : {
            heading: "Choose a new password",
            next: "All sessions of the account end when it is set.",
            button: "Set it",
          },
  );
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form
    class="space-y-5"
    novalidate
    onsubmit={(event) =>
      form.submit(
        event,
        () => judgeNewPassword(password, repeated),
        () => redeem({ password }),
      )}
  >
    <FormProblem problem={form.problem} />
    <WhosePassword name={look.name} />
    <p>For <strong class="break-all">{look.name}</strong></p>
    <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    <MainButton text={words.button} busyText="Setting …" busy={form.sending} />
  </form>
</PersonFrame>
