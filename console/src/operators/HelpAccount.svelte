<script lang="ts">
  /** What an operator does for somebody who lost everything: each with a reason, told to the owner and the other operators. */
  import type { OperatorAccount } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { page } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Props {
    account: OperatorAccount;
    hasFactor: boolean;
    changed: () => void;
  }
  const { account, hasFactor, changed }: Props = $props();
  const form = new Form();
  type Help = "remove-factor" | "correct-email" | "first-password";
  let chosen: Help | null = $state(null);
  let said: string | null = $state(null);
  let reason = $state("");
  let email = $state("");
  let password = $state("");

  const offered: readonly Help[] = $derived([
    ...(hasFactor ? (["remove-factor"] as const) : []),
    "correct-email",
    "first-password",
  ]);

  function choose(help: Help | null): void {
    chosen = help;
    said = null;
    form.errors = {};
    form.problem = null;
  }

  const judge = (): Record<string, string> => ({
    ...(reason.trim() === "" ? { reason: texts.helpAccount.enterAReason } : {}),
    ...(chosen === "correct-email" && email.trim() === ""
      ? { email: texts.helpAccount.enterTheAddress }
      : {}),
    ...(chosen === "first-password" && password === "" ? { password: texts.helpAccount.enterAPassword } : {}),
  });

  async function send(): Promise<void> {
    const params = { id: account.id };
    if (chosen === "remove-factor") await operate(routes.removeSecondFactor, { params, body: { reason } });
    if (chosen === "correct-email")
      await operate(routes.correctEmail, { params, body: { reason, email: email.trim() } });
    if (chosen === "first-password")
      await operate(routes.giveFirstPassword, { params, body: { reason, password } });
    const done = chosen === null ? null : texts.helpAccount.done[chosen];
    choose(null);
    reason = email = password = "";
    said = done;
    changed();
  }
</script>

<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if chosen === null}
    {#each offered as help (help)}
      <ActionButton onclick={() => choose(help)}>{texts.helpAccount.begin[help]}</ActionButton>
    {/each}
    {#if said !== null}<span role="status">{said}</span>{/if}
  {:else}
    <form
      class="border-line bg-slab w-full max-w-xl space-y-4 rounded-lg border p-5"
      novalidate
      onsubmit={(event) => form.submit(event, judge, send)}
    >
      <h2 class="text-lg font-semibold">{texts.helpAccount.heading[chosen]}</h2>
      <p>{texts.helpAccount.whatHappens[chosen](page.linksWorkFor)}</p>
      <FormProblem problem={form.problem} />
      {#if chosen === "correct-email"}
        <Field
          name="email"
          label={texts.helpAccount.newAddress}
          type="email"
          autocomplete="off"
          bind:value={email}
          error={form.errors["email"]}
        />
      {/if}
      {#if chosen === "first-password"}
        <PasswordField
          name="password"
          label={texts.helpAccount.firstPassword}
          autocomplete="new-password"
          bind:value={password}
          error={form.errors["password"]}
        />
      {/if}
      <Field
        name="reason"
        label={texts.helpAccount.reasonForTheJournalAnd}
        autocomplete="off"
        bind:value={reason}
        error={form.errors["reason"]}
      />
      <div class="flex flex-wrap gap-3">
        <ActionButton kind="danger" type="submit" aria-disabled={form.sending}
          >{texts.helpAccount.doIt[chosen]}</ActionButton
        >
        <ActionButton onclick={() => choose(null)}>{texts.helpAccount.cancel}</ActionButton>
      </div>
    </form>
  {/if}
</div>
