<script lang="ts">
  /** A set of recovery codes, shown this once: to be copied, kept as a file, or printed. */
  import { page } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    codes: readonly string[];
    /** Whose they are, for the file. */
    site: string;
  }
  const { codes, site }: Props = $props();
  let isCopied = $state(false);

  const text = $derived(
    [texts.recoveryCodes.recoveryCodesOfAtEach(site, page.site.name), "", ...codes, ""].join("\n"),
  );
  const file = $derived(`data:text/plain;charset=utf-8,${encodeURIComponent(text)}`);

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(text);
    isCopied = true;
  }
</script>

<section class="border-brass bg-slab mb-6 rounded-lg border-2 p-4" aria-labelledby="recovery-codes">
  <h2 id="recovery-codes" class="font-semibold">{texts.recoveryCodes.yourRecoveryCodes}</h2>
  <p class="mt-1 mb-3">
    {texts.recoveryCodes.youCanSeeThemOnly}
  </p>
  <ul class="grid grid-cols-1 gap-x-8 gap-y-1 sm:grid-cols-2">
    {#each codes as code (code)}<li><code>{code}</code></li>{/each}
  </ul>
  <p class="mt-4 flex flex-wrap gap-3">
    <ActionButton size="sm" onclick={copy}
      >{isCopied ? texts.recoveryCodes.copied : texts.recoveryCodes.copy}</ActionButton
    >
    <ActionButton size="sm" href={file} download="recovery-codes.txt"
      >{texts.recoveryCodes.download}</ActionButton
    >
    <ActionButton size="sm" onclick={() => window.print()}>{texts.recoveryCodes.print}</ActionButton>
  </p>
</section>
