<script lang="ts">
  import { ownPathOr } from "@lucchetto/contract/pages";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { rememberMailWaits } from "../lib/mail-waits.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import CheckMail from "./CheckMail.svelte";

  const form = new Form();
  let email = $state("");
  let username = $state("");
  let displayName = $state("");
  let password = $state("");
  let repeated = $state("");
  let taken = $state(false);

  const { identifiers } = page;
  const eitherWillDo = identifiers.email === "optional" && identifiers.username === "optional";
  const query = new URLSearchParams(window.location.search);
  const next = ownPathOr(at(page.landings.afterRegistering), query.get("next"), page.basePath);
  const signInPath = at(`/sign-in${window.location.search}`);

  function judge(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (eitherWillDo && email === "" && username === "")
      errors["email"] = "Give an e-mail address or a username.";
    if (identifiers.email === "required" && email === "") errors["email"] = "Enter your e-mail address.";
    if (identifiers.username === "required" && username === "") errors["username"] = "Choose a username.";
    return { ...errors, ...judgeNewPassword(password, repeated) };
  }

  async function send(): Promise<void> {
    const given = (text: string) => (text.trim() === "" ? undefined : text.trim());
    const reply = await call(routes.register, {
      body: { email: given(email), username: given(username), displayName: given(displayName), password },
    });
    if (reply.status === 201) {
      tellTabs();
      go(next);
    } else {
      rememberMailWaits(email);
      taken = true;
    }
  }
</script>

{#if taken && page.mail !== "none"}
  <CheckMail email={email.trim()} next="Your registration has arrived; the account begins with a click." />
{:else if taken}
  <PersonFrame heading="Thank you" next="Your registration has arrived.">
    <p>
      If nobody had this address here before, the account is ready:
      <a href={signInPath}>sign in</a> with the password you have just chosen. If it does not work, the address
      was in use already; sign in with its own password.
    </p>
  </PersonFrame>
{:else}
  <PersonFrame
    heading="Register"
    next={page.mailComesFirst
      ? "You get a mail with a link; the account begins with it."
      : "You are signed in as soon as the account is made."}
  >
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      {#if identifiers.email !== "off"}
        <Field
          name="email"
          label="E-mail address"
          type="email"
          bind:value={email}
          autocomplete={identifiers.username === "off" ? "username" : "email"}
          optional={identifiers.email === "optional" && !eitherWillDo}
          rules={eitherWillDo ? "An e-mail address, a username, or both." : undefined}
          error={form.errors["email"]}
        />
      {/if}
      {#if identifiers.username !== "off"}
        <Field
          name="username"
          label="Username"
          bind:value={username}
          autocomplete="username"
          optional={identifiers.username === "optional" && !eitherWillDo}
          rules="2 to 40 letters and digits, with . _ - between them."
          error={form.errors["username"]}
        />
      {/if}
      <Field
        name="displayName"
        label="Name"
        bind:value={displayName}
        autocomplete="name"
        optional
        error={form.errors["displayName"]}
      />
      <NewPasswordFields
        label="Password"
        bind:password
        bind:repeated
        errors={form.errors}
        names={[email, username, displayName]}
      />
      <MainButton text="Register" busyText="Making your account …" busy={form.sending} />
    </form>
    <p class="mt-6">Registered already? <a href={signInPath}>Sign in</a></p>
  </PersonFrame>
{/if}
