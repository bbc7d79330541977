<script lang="ts">
  /** The field of one thing that is shown beside a mailed link, and the others in its place. */
  import type { Thing, ThingShown } from "../lib/thing-shown.svelte.ts";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  import Field from "./Field.svelte";
  import PasswordField from "./PasswordField.svelte";

  interface Props {
    shown: ThingShown;
    passwordLabel: string;
    /** Words of the buttons that choose another thing. */
    instead: Readonly<Record<Thing, string>>;
    errors: Record<string, string>;
    /** Another thing was chosen. */
    chosen: () => void;
  }
  const { shown, passwordLabel, instead, errors, chosen }: Props = $props();

  function choose(other: Thing): void {
    shown.choose(other);
    chosen();
  }
</script>

{#if shown.thing === "password"}
  <PasswordField
    name="present"
    label={passwordLabel}
    bind:value={shown.present}
    autocomplete="current-password"
    error={errors["present"]}
  />
{:else if shown.thing === "passkey"}
  <p>{texts.passkeys.yourDeviceAsks}</p>
{:else if shown.thing !== null}
  <Field
    name="code"
    label={shown.thing === "totp" ? lazy.linkUndo.codeOfApp : lazy.linkUndo.recoveryCode}
    autocomplete="one-time-code"
    bind:value={shown.code}
    error={errors["code"] ?? errors["present"]}
  />
{/if}
{#each shown.others as other (other)}
  <p><ActionButton kind="text" onclick={() => choose(other)}>{instead[other]}</ActionButton></p>
{/each}
