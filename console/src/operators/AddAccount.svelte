<script lang="ts">
  /** An operator adds an account: by an invitation by mail, or with a first password that is replaced at the first sign-in. */
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { call, page } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import Choice from "../parts/Choice.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { added }: { added: (id: string) => void } = $props();
  const form = new Form();
  let fields = $state({ email: "", username: "", displayName: "", labels: "", reference: "", password: "" });
  const { identifiers } = page;
  const mayInvite = page.mail !== "none" && identifiers.email !== "off";
  let invites = $state(mayInvite);
  let app = $state("");
  let apps: ReadonlyArray<readonly [string, string]> = $state([]);
  let isOpen = $state(false);
  const loader = new Loader();
  $effect(() => {
    if (isOpen && mayInvite) void loader.run(listLandings);
  });

  /** Where somebody can land who is invited. */
  async function listLandings(): Promise<void> {
    const { body } = await call(routes.listApps, { query: { limit: 100 } });
    const led = body.items.filter((one) => (one.home ?? one.initiateLoginUri) !== null);
    apps = [
      ["", texts.addAccount.theAccountPage],
      ...led.map(({ clientId, name }) => [clientId, name] as const),
    ];
  }

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
      ? await operate(routes.inviteAccount, {
          body: { ...facts, email: fields.email.trim(), app: given(app) },
        })
      : await operate(routes.addAccount, { body: { ...facts, email: given(fields.email), password } });
    added(body.id);
  }
</script>

<div class="border-line bg-slab mb-6 rounded-lg border p-4">
  <Disclosure class="font-medium" bind:open={isOpen}>
    {#snippet head()}{texts.addAccount.addOrInviteSomebody}{/snippet}
    <form
      class="mt-4 grid gap-4 md:grid-cols-2"
      novalidate
      onsubmit={(event) => form.submit(event, () => ({}), send)}
    >
      <div class="md:col-span-2"><FormProblem problem={form.problem ?? loader.problem} /></div>
      {#if mayInvite}
        <div class="md:col-span-2">
          <Checkbox name="invites" bind:checked={invites}>{texts.addAccount.inviteByMailTheyChoose}</Checkbox>
        </div>
      {/if}
      {#if identifiers.email !== "off"}
        <Field
          name="email"
          label={texts.addAccount.eMailAddress}
          type="email"
          autocomplete="email"
          bind:value={fields.email}
          error={form.errors["email"]}
        />
      {/if}
      {#if identifiers.username !== "off"}
        <Field
          name="username"
          label={texts.addAccount.username}
          autocomplete="username"
          bind:value={fields.username}
          error={form.errors["username"]}
        />
      {/if}
      <Field
        name="displayName"
        label={texts.addAccount.name}
        autocomplete="name"
        optional
        bind:value={fields.displayName}
        error={form.errors["displayName"]}
      />
      <Field
        name="labels"
        label={texts.addAccount.labels}
        autocomplete="on"
        optional
        rules={texts.addAccount.wordsYourApplicationReadsSuch}
        bind:value={fields.labels}
        error={form.errors["labels"]}
      />
      <Field
        name="reference"
        label={texts.addAccount.reference}
        autocomplete="on"
        optional
        rules={texts.addAccount.yourApplicationsOwnIdFor}
        bind:value={fields.reference}
        error={form.errors["reference"]}
      />
      {#if invites && apps.length > 1}
        <Choice name="app" label={texts.addAccount.landsAt} choices={apps} bind:value={app} />
      {:else if !invites}
        <PasswordField
          name="password"
          label={texts.addAccount.firstPassword}
          autocomplete="new-password"
          rules={texts.addAccount.optionalTheyChooseAnotherAt}
          bind:value={fields.password}
          error={form.errors["password"]}
        />
      {/if}
      <div class="md:col-span-2">
        <ActionButton type="submit"
          >{invites ? texts.addAccount.invite : texts.addAccount.addAccount}</ActionButton
        >
      </div>
    </form>
  </Disclosure>
</div>
