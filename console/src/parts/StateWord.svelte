<script lang="ts">
  /** A state as a word and a shape; colour only adds to it. */
  const KINDS = {
    well: { shape: "●", colour: "text-verdigris" },
    wrong: { shape: "✕", colour: "text-rust" },
    open: { shape: "○", colour: "text-quiet" },
    old: { shape: "◐", colour: "text-brass" },
  } as const;
  const { kind, text }: { kind: keyof typeof KINDS; text: string } = $props();
</script>

<span class={["whitespace-nowrap", KINDS[kind].colour]}
  ><span aria-hidden="true">{KINDS[kind].shape}</span> {text}</span
>
