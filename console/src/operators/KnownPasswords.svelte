<script lang="ts">
  /** People of the source whose passwords are known: by them a plan is shown to be right. */
  import ActionButton from "../parts/ActionButton.svelte";
  import Field from "../parts/Field.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  let { known = $bindable() }: { known: Array<{ who: string; password: string }> } = $props();
  const MAX_KNOWN = 5;
</script>

<fieldset class="mt-4">
  <legend class="mb-1 font-medium">{texts.moveIn.somebodyInThisTableWhose}</legend>
  <p class="text-quiet mb-3 text-sm">{texts.moveIn.provesThatThePlanIs}</p>
  {#each known as one, index (index)}
    <div class="mb-3 grid gap-4 md:grid-cols-2">
      <Field name="who-{index}" label={texts.moveIn.who} bind:value={one.who} autocomplete="off" />
      <PasswordField
        name="known-{index}"
        label={texts.moveIn.theirPassword}
        bind:value={one.password}
        autocomplete="off"
      />
    </div>
  {/each}
  {#if known.length < MAX_KNOWN}<ActionButton
      kind="quiet"
      class="underline"
      onclick={() => (known = [...known, { who: "", password: "" }])}>{texts.moveIn.addAnother}</ActionButton
    >{/if}
</fieldset>
