<script lang="ts">
  /** A button or a link that looks like one. The one main action of a page is `MainButton`. */
  import { Button } from "flowbite-svelte";
  import type { Snippet } from "svelte";
  import type { HTMLAttributes } from "svelte/elements";

  /** `danger` takes something away; `text` and `quiet` stand within a sentence. */
  const KINDS = {
    main: "bg-brass text-on-brass hover:bg-brass dark:bg-brass dark:text-on-brass dark:hover:bg-brass font-semibold hover:brightness-110",
    plain: "border-line bg-slab text-ink dark:border-line dark:bg-slab dark:text-ink",
    danger: "border-rust bg-slab text-rust dark:border-rust dark:bg-slab dark:text-rust",
    text: "text-link dark:text-link underline underline-offset-2",
    quiet: "text-quiet dark:text-quiet hover:text-ink",
  } as const;
  const BARE =
    "inline border-0 bg-transparent font-normal hover:bg-transparent dark:bg-transparent dark:hover:bg-transparent";
  const SIZES = {
    sm: "min-h-6 rounded px-3 py-1 text-sm font-normal",
    md: "rounded-lg px-4 py-1.5 text-base font-normal",
    lg: "rounded-lg px-6 py-3 text-base font-medium",
    none: "min-h-6 rounded-none p-0 text-base",
  } as const;

  interface Props extends HTMLAttributes<HTMLElement> {
    kind?: keyof typeof KINDS;
    size?: keyof typeof SIZES;
    type?: "button" | "submit";
    /** A link then. */
    href?: string;
    download?: string;
    disabled?: boolean;
    children: Snippet;
  }
  const { kind = "plain", size, class: more, children, ...rest }: Props = $props();
  const isBare = $derived(kind === "text" || kind === "quiet");
</script>

<Button
  {...rest}
  color="light"
  class={[
    "no-underline focus-within:ring-0 aria-disabled:opacity-60",
    KINDS[kind],
    isBare && BARE,
    SIZES[size ?? (isBare ? "none" : "md")],
    more,
  ]}
>
  {@render children()}
</Button>
