<script lang="ts">
  /** What a check found: figures, how passwords are kept, and the rows that would be refused. */
  import type { IntakeCheck } from "@lucchetto/contract";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { check }: { check: IntakeCheck } = $props();
  const number = (value: number) => value.toLocaleString("en");
  const figures = $derived([
    [texts.movingIn.rows, check.rows],
    [texts.moveIn.wouldBeImported, check.wouldBeTaken],
    [texts.moveIn.alreadyHere, check.thereAlready],
    [texts.moveIn.wouldBeRefused, check.faultCount],
  ] as const);
  const OUTCOMES = { right: "well", wrong: "wrong", nobody: "wrong" } as const;
  const provenOf = $derived(new Map(check.recipes.map(({ text, isProven }) => [text, isProven])));
</script>

<dl class="flex flex-wrap gap-x-8 gap-y-3">
  {#each figures as [word, value] (word)}
    <div class="flex flex-col-reverse">
      <dt class="text-quiet text-sm">{word}</dt>
      <dd class="font-mono text-lg tabular-nums">{number(value)}</dd>
    </div>
  {/each}
</dl>
<ul class="mt-4 grid gap-1">
  {#each check.passwords as { words, rows } (words)}
    {@const isProven = provenOf.get(words)}
    <li class="flex flex-wrap gap-x-4">
      <span class="font-mono">{number(rows)}</span><code class="break-all">{words}</code>
      {#if isProven !== undefined}<span class="text-sm"
          ><StatusBadge
            kind={isProven ? "well" : "old"}
            text={isProven ? texts.movingIn.provedRight : texts.movingIn.notProved}
          /></span
        >{/if}
    </li>
  {/each}
</ul>
{#each check.known as { who, outcome } (who)}
  <p class="mt-2"><StatusBadge kind={OUTCOMES[outcome]} text={texts.moveIn.known[outcome](who)} /></p>
{/each}
{#if check.filledByUsername.length > 0}
  <table class="mt-4 w-full text-left text-sm">
    <caption class="text-quiet mb-1 text-left">{texts.moveIn.onlyTheUsernameSays}</caption>
    <thead class="text-quiet">
      <tr>
        <th scope="col" class="py-1 pr-4 font-medium">{texts.movingIn.line}</th>
        <th scope="col" class="py-1 pr-4 font-medium">{texts.moveIn.username}</th>
        <th scope="col" class="py-1 font-medium">{texts.moveIn.account}</th>
      </tr>
    </thead>
    <tbody>
      {#each check.filledByUsername as { line, username, accountId } (line)}
        <tr class="border-line border-t align-top">
          <td class="py-1.5 pr-4 font-mono">{line}</td>
          <td class="py-1.5 pr-4">{username}</td>
          <td class="py-1.5 font-mono">{accountId}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
{#if check.faults.length > 0}
  <table class="mt-4 w-full text-left text-sm">
    <caption class="text-quiet mb-1 text-left">{texts.moveIn.theseRowsWouldBeRefused}</caption>
    <thead class="text-quiet">
      <tr>
        <th scope="col" class="py-1 pr-4 font-medium">{texts.movingIn.line}</th>
        <th scope="col" class="py-1 pr-4 font-medium">{texts.movingIn.what}</th>
        <th scope="col" class="py-1 font-medium">{texts.movingIn.reason}</th>
      </tr>
    </thead>
    <tbody>
      {#each check.faults.slice(0, 50) as { line, member, reason } (line)}
        <tr class="border-line border-t align-top">
          <td class="py-1.5 pr-4 font-mono">{line}</td>
          <td class="py-1.5 pr-4">{member}</td>
          <td class="py-1.5 break-words">{reason}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if check.faultCount > 50}<p class="text-quiet mt-2 text-sm">
      {texts.moveIn.andMore(number(check.faultCount - 50))}
    </p>{/if}
{/if}
