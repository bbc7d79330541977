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
  import { texts } from "../texts/texts.ts";

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
    const errors: Record<string, string> =
      present === "" ? { present: texts.changePassword.enterYourCurrentPassword } : {};
    return { ...errors, ...judgeNewPassword(password, repeated) };
  }

  async function send(): Promise<void> {
    const { body } = await call(routes.changePassword, { body: { present, password } });
    endedSessions = body.endedSessions;
    // Password managers take a change of the page's address as success.
    window.history.replaceState(null, "", at("/account/password"));
  }

  const ended = $derived(
    endedSessions === null || endedSessions === 0
      ? texts.changePassword.youWereNotSignedIn
      : texts.changePassword.othersEnded(endedSessions),
  );
</script>

{#if endedSessions !== null}
  <PersonFrame heading={texts.changePassword.passwordChanged} next={ended}>
    <p role="status"><a href={at("/account")}>{texts.changePassword.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame heading={texts.changePassword.changePassword} next={texts.changePassword.youStaySignedInHere}>
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <WhosePassword name={account.email ?? account.username} />
      <PasswordField
        name="present"
        label={texts.changePassword.currentPassword}
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
      <MainButton
        text={texts.changePassword.changePassword}
        busyText={texts.changePassword.changing}
        busy={form.sending}
      />
    </form>
    <p class="mt-6"><a href={at("/account")}>{texts.changePassword.cancel}</a></p>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame
    heading={texts.changePassword.changePassword}
    next={texts.changePassword.thisCannotBeShownRight}
  >
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
