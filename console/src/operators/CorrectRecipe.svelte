<script lang="ts">
  /** Corrects a recipe: a password that is known shows that the new one is right. */
  import type { IntakeRecipe } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Props {
    intakeId: string;
    recipe: IntakeRecipe;
    corrected: () => Promise<void>;
  }
  const { intakeId, recipe, corrected }: Props = $props();
  const form = new Form();
  let isOpen = $state(false);
  let fields = $state({ text: "", identifier: "", password: "" });

  $effect(() => {
    if (isOpen) fields.text ||= recipe.text;
  });

  async function send(): Promise<void> {
    await operate(routes.correctRecipe, { params: { id: intakeId, recipe: recipe.id }, body: { ...fields } });
    fields = { text: "", identifier: "", password: "" };
    isOpen = false;
    await corrected();
  }
</script>

<div class="mt-2">
  <Disclosure bind:open={isOpen} class="text-quiet dark:text-quiet text-sm">
    {#snippet head()}{texts.movingIn.correct}{/snippet}
    <form
      class="mt-3 grid gap-4 md:grid-cols-2"
      novalidate
      onsubmit={(event) => form.submit(event, () => ({}), send)}
    >
      <div class="md:col-span-2">
        <FormProblem problem={form.problem} />
        <Field
          name="text"
          label={texts.movingIn.recipe}
          bind:value={fields.text}
          autocomplete="off"
          error={form.errors["text"]}
        />
      </div>
      <Field
        name="identifier"
        label={texts.movingIn.somebodyWhosePasswordYouKnow}
        bind:value={fields.identifier}
        autocomplete="off"
        rules={texts.movingIn.addressOrUsernameOfSomebody}
        error={form.errors["identifier"]}
      />
      <PasswordField
        name="password"
        label={texts.movingIn.theirPassword}
        bind:value={fields.password}
        autocomplete="off"
        error={form.errors["password"]}
      />
      <ActionButton class="justify-self-start" type="submit" aria-disabled={form.sending}
        >{texts.movingIn.tryItAndSaveIt}</ActionButton
      >
    </form>
  </Disclosure>
</div>
