<script lang="ts">
  /** A set of recovery codes, shown this once: to be copied, kept as a file, or printed. */
  import { page } from "../lib/page.ts";

  interface Props {
    codes: readonly string[];
    /** Whose they are, for the file. */
    site: string;
  }
  const { codes, site }: Props = $props();
  let isCopied = $state(false);

  const text = $derived(
    [`Recovery codes of ${site} at ${page.site.name}. Each works once.`, "", ...codes, ""].join("\n"),
  );
  const file = $derived(`data:text/plain;charset=utf-8,${encodeURIComponent(text)}`);

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(text);
    isCopied = true;
  }
</script>

<section class="border-brass bg-slab mb-6 rounded-lg border-2 p-4" aria-labelledby="recovery-codes">
  <h2 id="recovery-codes" class="font-semibold">Your recovery codes</h2>
  <p class="mt-1 mb-3">
    They are shown this once. Keep them where your device is not: each stands in for it once.
  </p>
  <ul class="grid grid-cols-1 gap-x-8 gap-y-1 sm:grid-cols-2">
    {#each codes as code (code)}<li><code>{code}</code></li>{/each}
  </ul>
  <p class="mt-4 flex flex-wrap gap-3">
    <button type="button" class="border-line rounded border px-3 py-1 text-sm" onclick={copy}
      >{isCopied ? "Copied ✓" : "Copy them"}</button
    >
    <a
      class="border-line text-ink rounded border px-3 py-1 text-sm no-underline"
      href={file}
      download="recovery-codes.txt">Keep as a file</a
    >
    <button type="button" class="border-line rounded border px-3 py-1 text-sm" onclick={() => window.print()}
      >Print</button
    >
  </p>
</section>
