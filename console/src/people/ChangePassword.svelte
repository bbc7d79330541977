<script lang="ts">
  import { routes } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";

  const form = new Form();
  let present = $state("");
  let password = $state("");
  let repeated = $state("");
  let endedSessions: number | null = $state(null);

  const { minimumPasswordLength, passwordRulesOff } = page;
  const rule = passwordRulesOff
    ? "Password rules are off in this development service: anything is accepted."
    : `At least ${minimumPasswordLength} characters. Several words and spaces are welcome.`;

  onMount(async () => {
    await session.ask();
    if (session.who.state === "guest") {
      window.location.replace(`${at("/sign-in")}?next=${encodeURIComponent(window.location.pathname)}`);
    }
  });

  function judge(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (present === "") errors["present"] = "Enter your present password.";
    if (password === "") errors["password"] = "Choose a new password.";
    else if (password !== repeated) errors["repeated"] = "The two passwords differ.";
    return errors;
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
      <!-- For password managers: whose password this is. -->
      <input
        type="text"
        name="username"
        autocomplete="username"
        value={account.email ?? account.username}
        readonly
        tabindex="-1"
        aria-hidden="true"
        class="sr-only"
      />
      <PasswordField
        name="present"
        label="Present password"
        bind:value={present}
        autocomplete="current-password"
        error={form.errors["present"]}
      />
      <PasswordField
        name="password"
        label="New password"
        bind:value={password}
        autocomplete="new-password"
        rules={rule}
        error={form.errors["password"]}
      />
      <PasswordField
        name="repeated"
        label="New password again"
        bind:value={repeated}
        autocomplete="new-password"
        error={form.errors["repeated"]}
      />
      <MainButton text="Change password" busyText="Changing …" busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>Leave it as it is</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading="Change password" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
