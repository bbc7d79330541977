<script lang="ts" generics="Value extends string">
  /** One of a few, with its label. */
  import { Label, Select } from "flowbite-svelte";

  interface Props {
    name: string;
    label: string;
    value: Value;
    choices: ReadonlyArray<readonly [value: Value, word: string]>;
    disabled?: boolean;
    /** In one line with its label, above a list. */
    isSmall?: boolean;
  }
  let { name, label, value = $bindable(), choices, disabled = false, isSmall = false }: Props = $props();
  const items = $derived(choices.map(([one, word]) => ({ value: one, name: word })));
</script>

<div class={isSmall ? "flex items-center gap-2" : undefined}>
  <Label
    for={name}
    class={["text-ink dark:text-ink block text-base", isSmall ? "font-normal" : "mb-1 font-medium"]}
    >{label}</Label
  >
  <Select
    id={name}
    {name}
    bind:value
    {items}
    {disabled}
    placeholder=""
    classes={{
      select: [
        "bg-slab dark:bg-slab text-ink dark:text-ink text-base disabled:opacity-60",
        isSmall ? "border-line dark:border-line py-1.5 ps-3 pe-8" : "border-gray-400 dark:border-gray-500",
      ],
    }}
  />
</div>
