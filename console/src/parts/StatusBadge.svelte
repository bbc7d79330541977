<script lang="ts">
  /** A state as a word and a shape; colour only adds to it. */
  import { Badge } from "flowbite-svelte";

  const KINDS = {
    well: { shape: "●", colour: "text-verdigris dark:text-verdigris" },
    wrong: { shape: "✕", colour: "text-rust dark:text-rust" },
    open: { shape: "○", colour: "text-quiet dark:text-quiet" },
    old: { shape: "◐", colour: "text-brass dark:text-brass" },
  } as const;
  const { kind, text }: { kind: keyof typeof KINDS; text: string } = $props();
</script>

<Badge
  color="gray"
  rounded
  params={{ duration: 0 }}
  class={[
    "border-line gap-1 border bg-transparent px-2 py-0.5 text-sm font-normal whitespace-nowrap dark:bg-transparent",
    KINDS[kind].colour,
  ]}><span aria-hidden="true">{KINDS[kind].shape}</span>{text}</Badge
>
