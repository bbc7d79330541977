<script lang="ts">
  /** The padlock. Decoration: what it stands beside says the name. */
  const { size = 32 }: { size?: number } = $props();
</script>

<svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true" class="shrink-0">
  <path
    class="stroke-brass"
    d="M9 15V11a7 7 0 0 1 14 0v4"
    fill="none"
    stroke-width="3"
    stroke-linecap="round"
  />
  <path class="fill-primary-400" d="M5 15h22v5.5C27 26 22 30 16 30S5 26 5 20.5z" />
  <circle class="fill-gray-800" cx="16" cy="20.5" r="2.4" />
  <path class="stroke-gray-800" d="M16 21v4.5" stroke-width="2" stroke-linecap="round" />
</svg>
