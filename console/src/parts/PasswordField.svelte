<script lang="ts">
  /** A password field that can be shown. Pasting and password managers work; nothing is ever cut off. */
  import { Input, Label } from "flowbite-svelte";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    name: string;
    label: string;
    value: string;
    autocomplete: "current-password" | "new-password" | "off";
    rules?: string | undefined;
    error?: string | undefined;
  }
  let { name, label, value = $bindable(), autocomplete, rules, error }: Props = $props();
  let shown = $state(false);
  const described = $derived(
    [error && `${name}-error`, rules && `${name}-rules`].filter(Boolean).join(" ") || undefined,
  );
</script>

<div>
  <Label for={name} class="text-ink mb-1 block text-base font-medium">{label}</Label>
  <div class="relative">
    <Input
      id={name}
      {name}
      type={shown ? "text" : "password"}
      bind:value
      {autocomplete}
      autocapitalize="none"
      spellcheck="false"
      aria-invalid={error ? "true" : undefined}
      aria-describedby={described}
      class={[
        "bg-slab dark:bg-slab text-ink dark:text-ink pr-20 text-base",
        error ? "border-rust" : "border-gray-400 dark:border-gray-500",
      ]}
    />
    <ActionButton
      kind="quiet"
      class="absolute inset-y-0 right-0 min-w-16 px-3 text-sm font-medium"
      aria-pressed={shown}
      aria-label="{shown ? texts.passwordField.hide : texts.passwordField.show} {label.toLowerCase()}"
      onclick={() => (shown = !shown)}
    >
      {shown ? texts.passwordField.hide : texts.passwordField.show}
    </ActionButton>
  </div>
  {#if rules}<p id="{name}-rules" class="text-quiet mt-1 text-sm">{rules}</p>{/if}
  {#if error}<p id="{name}-error" class="text-rust mt-1 text-sm font-medium">✕ {error}</p>{/if}
</div>
