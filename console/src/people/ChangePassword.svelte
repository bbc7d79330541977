<script lang="ts">
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { at, call } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";

  const form = new Form();
  let present = $state("");
  let password = $state("");
  let repeated = $state("");
  let endedSessions: number | null = $state(null);

  onMount(async () => {
    await session.ask();
    if (session.who.state === "guest") {
      window.location.replace(`${at("/sign-in")}?next=${encodeURIComponent(window.location.pathname)}`);
    }
  });

  function judge(): Record<string, string> {
    const errors: Record<string, string> = present === "" ? { present: "Enter your present password." } : {};
    return { ...errors, ...judgeNewPassword(password, repeated) };
  }

  async function send(): Promise<void> {
    const { body } = await call(routes.changePassword, { body: { present, password } });
    endedSessions = body.endedSessions;
    // Password managers take a change of the page's address as success.
    window.history.replaceState(null, "", at("/account/password"));
  }

  const ended = $derived(
    endedSessions === 0
      ? "You were signed in nowhere else."
      : `${endedSessions === 1 ? "One other session was" : `${endedSessions} other sessions were`} ended; you stay signed in here.`,
  );
</script>

{#if endedSessions !== null}
  <PersonFrame heading="Your password is changed" next={ended}>
    <p role="status"><a href={at("/account")}>Your account</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame heading="Change password" next="All your other sessions end; you stay signed in here.">
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <WhosePassword name={account.email ?? account.username} />
      <PasswordField
        name="present"
        label="Present password"
        bind:value={present}
        autocomplete="current-password"
        error={form.errors["present"]}
      />
      <NewPasswordFields
        bind:password
        bind:repeated
        errors={form.errors}
        names={[account.email, account.username, account.displayName]}
      />
      <MainButton text="Change password" busyText="Changing …" busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>Leave it as it is</a></p>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading="Change password" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
