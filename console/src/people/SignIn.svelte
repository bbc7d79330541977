<script lang="ts">
  import { ownPathOr, routes } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import NewPasswordStep from "./NewPasswordStep.svelte";

  const form = new Form();
  let identifier = $state("");
  let password = $state("");
  let remember = $state(false);
  /** Set while something more is wanted. */
  let expiresAt: string | null = $state(null);

  const query = new URLSearchParams(window.location.search);
  const next = ownPathOr(at(page.landings.afterSignIn), query.get("next"), page.basePath);
  const registerPath = at(`/register${window.location.search}`);
  const { email, username } = page.identifiers;
  const identifierLabel =
    username === "off" ? "E-mail address" : email === "off" ? "Username" : "E-mail address or username";
  const whatNext = page.visitedApp ? `You go on to ${page.visitedApp.name} afterwards.` : undefined;

  function judge(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (identifier === "") errors["identifier"] = "Say who you are.";
    if (password === "") errors["password"] = "Enter your password.";
    return errors;
  }

  async function send(): Promise<void> {
    const reply = await call(routes.signIn, {
      body: { proof: { type: "password", identifier: identifier.trim(), password }, remember },
    });
    if (reply.status === 202) expiresAt = reply.body.expiresAt;
    else go(next);
  }
</script>

{#if expiresAt !== null}
  <NewPasswordStep {identifier} {expiresAt} done={() => go(next)} />
{:else}
  <PersonFrame heading="Sign in" next={whatNext}>
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <Field
        name="identifier"
        label={identifierLabel}
        bind:value={identifier}
        autocomplete="username"
        error={form.errors["identifier"]}
      />
      <PasswordField
        name="password"
        label="Password"
        bind:value={password}
        autocomplete="current-password"
        error={form.errors["password"]}
      />
      <label class="flex min-h-6 items-center gap-3">
        <input
          type="checkbox"
          name="remember"
          bind:checked={remember}
          class="accent-brass text-brass dark:bg-slab size-5 rounded border-gray-400"
        />
        Keep me signed in on this device
      </label>
      <MainButton text="Sign in" busyText="Checking …" busy={form.sending} />
    </form>
    {#if page.mode === "development"}
      <p class="mt-6">
        <a href={at(`/forgot?name=${encodeURIComponent(identifier)}`)}>Forgotten your password?</a>
      </p>
    {/if}
    <p class="mt-2">No account yet? <a href={registerPath}>Register</a></p>
  </PersonFrame>
{/if}
