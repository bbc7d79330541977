<script lang="ts">
  /** An operator adds an account: by an invitation by mail, or with a first password that is replaced at the first sign-in. */
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { call, page } from "../lib/page.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PasswordField from "../parts/PasswordField.svelte";

  const { added }: { added: (id: string) => void } = $props();
  const form = new Form();
  let fields = $state({ email: "", username: "", displayName: "", labels: "", reference: "", password: "" });
  const { identifiers } = page;
  const mayInvite = page.mail !== "none" && identifiers.email !== "off";
  let invites = $state(mayInvite);

  async function send(): Promise<void> {
    const given = (text: string) => (text.trim() === "" ? undefined : text.trim());
    const labels = fields.labels.split(/[\s,]+/).filter((label) => label !== "");
    const facts = {
      username: given(fields.username),
      displayName: given(fields.displayName),
      reference: given(fields.reference),
      labels,
    };
    const password = fields.password === "" ? undefined : fields.password;
    const { body } = invites
      ? await call(routes.inviteAccount, { body: { ...facts, email: fields.email.trim() } })
      : await call(routes.addAccount, { body: { ...facts, email: given(fields.email), password } });
    added(body.id);
  }
</script>

<details class="border-line bg-slab mb-6 rounded-lg border p-4">
  <summary class="cursor-pointer font-medium">Add or invite somebody</summary>
  <form
    class="mt-4 grid gap-4 md:grid-cols-2"
    novalidate
    onsubmit={(event) => form.submit(event, () => ({}), send)}
  >
    <div class="md:col-span-2"><FormProblem problem={form.problem} /></div>
    {#if mayInvite}
      <label class="flex min-h-6 items-center gap-3 md:col-span-2">
        <input
          type="checkbox"
          name="invites"
          bind:checked={invites}
          class="accent-brass text-brass dark:bg-slab size-5 rounded border-gray-400"
        />
        Invite by mail: the person chooses the password
      </label>
    {/if}
    {#if identifiers.email !== "off"}
      <Field
        name="email"
        label="E-mail address"
        type="email"
        autocomplete="email"
        bind:value={fields.email}
        error={form.errors["email"]}
      />
    {/if}
    {#if identifiers.username !== "off"}
      <Field
        name="username"
        label="Username"
        autocomplete="username"
        bind:value={fields.username}
        error={form.errors["username"]}
      />
    {/if}
    <Field
      name="displayName"
      label="Name"
      autocomplete="name"
      optional
      bind:value={fields.displayName}
      error={form.errors["displayName"]}
    />
    <Field
      name="labels"
      label="Labels"
      autocomplete="on"
      optional
      rules="Words for the application, such as keeper."
      bind:value={fields.labels}
      error={form.errors["labels"]}
    />
    <Field
      name="reference"
      label="Reference"
      autocomplete="on"
      optional
      rules="The application's own id for the person."
      bind:value={fields.reference}
      error={form.errors["reference"]}
    />
    {#if !invites}
      <PasswordField
        name="password"
        label="First password"
        autocomplete="new-password"
        rules="Optional. Another is wanted at the first sign-in."
        bind:value={fields.password}
        error={form.errors["password"]}
      />
    {/if}
    <div class="md:col-span-2">
      <button type="submit" class="border-line bg-paper rounded-lg border px-4 py-2 font-medium"
        >{invites ? "Invite" : "Add it"}</button
      >
    </div>
  </form>
</details>
