<script lang="ts">
  /** A new password, typed twice: its rules before the first mistake, and how well it withstands guessing meanwhile. */
  import { page } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";
  import PasswordField from "./PasswordField.svelte";
  import StrengthMeter from "./StrengthMeter.svelte";

  interface Props {
    label?: string;
    password: string;
    repeated: string;
    errors: Record<string, string>;
    /** Names that guessers know: the person's. */
    names: ReadonlyArray<string | null | undefined>;
  }
  let {
    label = texts.newPasswordFields.newPassword,
    password = $bindable(),
    repeated = $bindable(),
    errors,
    names,
  }: Props = $props();

  const rules = page.passwordRulesOff
    ? texts.newPasswordFields.passwordRulesAreOffIn
    : texts.newPasswordFields.atLeastCharactersSeveralWords(page.minimumPasswordLength);
</script>

<div>
  <PasswordField
    name="password"
    {label}
    bind:value={password}
    autocomplete="new-password"
    {rules}
    error={errors["password"]}
  />
  <StrengthMeter typed={password} {names} />
</div>
<PasswordField
  name="repeated"
  label={texts.newPasswordFields.again(label)}
  bind:value={repeated}
  autocomplete="new-password"
  error={errors["repeated"]}
/>
