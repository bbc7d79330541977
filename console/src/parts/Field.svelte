<script lang="ts">
  /** A labelled field with its rules before and its error after. */
  import { Input, Label } from "flowbite-svelte";
  import type { FullAutoFill } from "svelte/elements";
  import { texts } from "../texts/texts.ts";

  interface Props {
    name: string;
    label: string;
    value: string;
    autocomplete: FullAutoFill;
    type?: "text" | "email" | "search";
    inputmode?: "numeric" | "email";
    optional?: boolean;
    rules?: string | undefined;
    error?: string | undefined;
  }
  let {
    name,
    label,
    value = $bindable(),
    autocomplete,
    type = "text",
    inputmode,
    optional = false,
    rules,
    error,
  }: Props = $props();
  const described = $derived(
    [error && `${name}-error`, rules && `${name}-rules`].filter(Boolean).join(" ") || undefined,
  );
</script>

<div>
  <Label for={name} class="text-ink mb-1 block text-base font-medium">
    {label}{#if optional}<span class="text-quiet ml-1 font-normal">{texts.field.optional}</span>{/if}
  </Label>
  <Input
    id={name}
    {name}
    {type}
    bind:value
    {autocomplete}
    {inputmode}
    autocapitalize="none"
    spellcheck="false"
    data-kept={name === "code" ? undefined : ""}
    aria-invalid={error ? "true" : undefined}
    aria-describedby={described}
    class={[
      "bg-slab dark:bg-slab text-ink dark:text-ink text-base",
      error ? "border-rust" : "border-gray-400 dark:border-gray-500",
    ]}
  />
  {#if rules}<p id="{name}-rules" class="text-quiet mt-1 text-sm">{rules}</p>{/if}
  {#if error}<p id="{name}-error" class="text-rust mt-1 text-sm font-medium">✕ {error}</p>{/if}
</div>
