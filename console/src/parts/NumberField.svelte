<script lang="ts">
  /** A labelled whole number, from 1 up. */
  import { Input, Label } from "flowbite-svelte";

  interface Props {
    name: string;
    label: string;
    max: number;
    value: number;
  }
  let { name, label, max, value = $bindable() }: Props = $props();
</script>

<div>
  <Label for={name} class="text-ink mb-1 block text-base font-medium">{label}</Label>
  <Input
    id={name}
    {name}
    type="number"
    min={1}
    {max}
    required
    bind:value
    class="bg-slab dark:bg-slab text-ink dark:text-ink w-32 border-gray-400 text-base dark:border-gray-500"
  />
</div>
