<script lang="ts">
  /** A person's own display name, username and the language of the mails. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";

  const form = new Form();
  let displayName = $state("");
  let username = $state("");
  let language: "" | "en" | "it" = $state("");

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") {
      displayName = session.who.account.displayName ?? "";
      username = session.who.account.username ?? "";
      language = (session.who.account.language ?? "") as typeof language;
    }
  });

  async function send(): Promise<void> {
    const given = (text: string) => (text.trim() === "" ? null : text.trim());
    const names = page.identifiers.username === "off" ? {} : { username: given(username) };
    await call(routes.changeOwnAccount, {
      body: { displayName: given(displayName), language: language === "" ? null : language, ...names },
    });
    go(at("/account"));
  }
</script>

{#if session.who.state === "signed-in"}
  <PersonFrame heading="Name and language" next="Applications see the new name at once.">
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, () => ({}), send)}>
      <FormProblem problem={form.problem} />
      <Field
        name="displayName"
        label="Name"
        autocomplete="name"
        optional
        bind:value={displayName}
        error={form.errors["displayName"]}
      />
      {#if page.identifiers.username !== "off"}
        <Field
          name="username"
          label="Username"
          autocomplete="username"
          optional={page.identifiers.username === "optional"}
          rules="2 to 40 letters and digits, with . _ - between them."
          bind:value={username}
          error={form.errors["username"]}
        />
      {/if}
      {#if page.mail !== "none"}
        <div>
          <label for="language" class="mb-1 block font-medium">Mails in</label>
          <select
            id="language"
            name="language"
            bind:value={language}
            class="bg-slab text-ink w-full rounded-lg border border-gray-400 px-3 py-2.5 dark:border-gray-500"
          >
            <option value="">the site’s language</option>
            <option value="en">English</option>
            <option value="it">Italiano</option>
          </select>
        </div>
      {/if}
      <MainButton text="Keep it so" busyText="Keeping …" busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>Leave it as it is</a></p>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading="Name and language" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
