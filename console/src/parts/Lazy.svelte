<script lang="ts" generics="Props extends Record<string, unknown>">
  /** A part of a page that is loaded when it is come to: `<Lazy load={later.checkMail} heading="…" props={{ … }} />`. */
  import type { Component } from "svelte";
  import NotLoaded from "./NotLoaded.svelte";

  interface Given {
    load: () => Promise<{ default: Component<Props> }>;
    /** Of what stands there if it cannot be loaded. */
    heading: string;
    props: Props;
  }
  const { load, heading, props }: Given = $props();
</script>

{#await load() then { default: Part }}
  <Part {...props} />
{:catch}
  <NotLoaded {heading} />
{/await}
