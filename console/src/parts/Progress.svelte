<script lang="ts">
  /** How far something is, as a bar. */
  import { Progressbar } from "flowbite-svelte";

  interface Props {
    label: string;
    done: number;
    total: number;
    /** In place of the share in per cent. */
    so?: string;
  }
  const { label, done, total, so }: Props = $props();
  const share = $derived(total === 0 ? 0 : (done / total) * 100);
</script>

<div class="mt-3 max-w-2xl">
  <p class="mb-1 flex justify-between text-sm">
    <span>{label}</span><span class="font-mono">{so ?? (total === 0 ? "" : `${Math.floor(share)} %`)}</span>
  </p>
  <Progressbar
    progress={share}
    size="h-2"
    role="progressbar"
    aria-label={label}
    aria-valuemin={0}
    aria-valuemax={100}
    aria-valuenow={Math.floor(share)}
    class="dark:bg-gray-700"
    classes={{ label: "bg-verdigris dark:bg-verdigris" }}
  />
</div>
