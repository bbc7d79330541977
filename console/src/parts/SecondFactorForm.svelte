<script lang="ts">
  /** Asks for a second factor: the first that the account can show, and the others on request. */
  import type { SecondProof } from "../lib/second-proof.ts";
  import { SECOND_PROOFS } from "../proof/methods.ts";
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    /** What is wanted, as the service says. */
    wanted: readonly string[];
    purpose?: "sign-in" | "reauthenticate";
    buttonText: string;
    send: (proof: SecondProof) => Promise<void>;
  }
  const { wanted, purpose = "sign-in", buttonText, send }: Props = $props();
  let chosen: SecondProof["type"] | null = $state(null);
  const offered = $derived(SECOND_PROOFS.filter(({ type }) => wanted.includes(type)));
  const method = $derived(offered.find(({ type }) => type === chosen) ?? offered[0]);
  const missing = $derived(
    SECOND_PROOFS.flatMap(({ type, whenMissing }) => (wanted.includes(type) ? [] : (whenMissing?.() ?? []))),
  );
</script>

{#if method !== undefined}
  {#key method}
    <method.Form {purpose} {buttonText} {send} />
  {/key}
  {#each offered.filter((one) => one !== method) as other (other.type)}
    <p class="mt-5">
      <ActionButton kind="text" onclick={() => (chosen = other.type)}>{other.instead()}</ActionButton>
    </p>
  {/each}
  {#each missing as sentence (sentence)}
    <p class="text-quiet mt-5 text-sm">{sentence}</p>
  {/each}
{/if}
