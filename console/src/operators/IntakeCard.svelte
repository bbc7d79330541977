<script lang="ts">
  /** One intake: its figures, two bars, its recipes, and the rows that were refused. */
  import type { Intake, IntakeRefusal } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import Progress from "../parts/Progress.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";
  import CorrectRecipe from "./CorrectRecipe.svelte";

  const { intake, corrected }: { intake: Intake; corrected: () => Promise<void> } = $props();

  const number = (value: number) => value.toLocaleString("en");
  const wrapped = $derived(intake.notYetSignedIn - intake.sealed);
  const figures = $derived([
    [texts.movingIn.rows, intake.rows],
    [texts.movingIn.imported, intake.taken],
    ...(intake.filled > 0 ? ([[texts.movingIn.completed, intake.filled]] as const) : []),
    [texts.movingIn.refused, intake.refused],
    [texts.movingIn.haveNotSignedInYet, intake.notYetSignedIn],
    [texts.movingIn.firstSignIns, intake.firstSignIns],
    [texts.movingIn.wrongAttemptsBeforeThat, intake.failedAttempts],
  ] as const);

  let showsRefused = $state(false);
  const refused = new List<IntakeRefusal & { id: string }>(async (cursor) => {
    const { body } = await call(routes.listIntakeRefusals, {
      params: { id: intake.id },
      query: { ...(cursor === undefined ? {} : { cursor }) },
    });
    return { next: body.next, items: body.items.map((item) => ({ ...item, id: String(item.line) })) };
  });
  $effect(() => {
    if (showsRefused && !refused.loaded) void refused.begin();
  });
</script>

<article class="border-line bg-slab rounded-lg border p-4 md:p-5" aria-label={intake.source}>
  <header class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
    <h2 class="text-lg font-semibold break-words">{intake.source}</h2>
    <p class="text-quiet flex flex-wrap gap-x-4 text-sm">
      <StatusBadge kind={intake.state === "done" ? "well" : "open"} text={texts.movingIn[intake.state]} />
      <Ago at={intake.endedAt ?? intake.startedAt} />
      <CopyableId id={intake.id} />
    </p>
  </header>

  <dl class="mt-4 flex flex-wrap gap-x-8 gap-y-3">
    {#each figures as [word, value] (word)}
      <div class="flex flex-col-reverse">
        <dt class="text-quiet text-sm">{word}</dt>
        <dd class="font-mono text-lg tabular-nums">{number(value)}</dd>
      </div>
    {/each}
  </dl>

  {#if intake.sealed > 0}
    <Progress
      label={texts.movingIn.beingWrapped}
      done={wrapped}
      total={intake.notYetSignedIn}
      so={texts.movingIn.of(number(wrapped), number(intake.notYetSignedIn))}
    />
    <p class="text-quiet mt-1 text-sm">{texts.movingIn.theOthersAreSealedUnder}</p>
  {/if}

  {#if intake.recipes.length > 0}
    <h3 class="mt-5 mb-2 font-medium">{texts.movingIn.howTheirPasswordsWereStored}</h3>
    <ul class="grid gap-2">
      {#each intake.recipes as recipe (recipe.id)}
        <li class="bg-paper rounded p-3">
          <p class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
            <code class="break-all">{recipe.text}</code>
            <span class="text-sm"
              ><StatusBadge
                kind={recipe.isProven ? "well" : "old"}
                text={recipe.isProven ? texts.movingIn.provedRight : texts.movingIn.notProved}
              /></span
            >
          </p>
          {#if intake.notYetSignedIn > 0}<CorrectRecipe intakeId={intake.id} {recipe} {corrected} />{/if}
        </li>
      {/each}
    </ul>
  {/if}

  {#if intake.refused > 0}
    <div class="mt-5">
      <Disclosure bind:open={showsRefused} class="font-medium">
        {#snippet head()}{texts.movingIn.refusedRows(number(intake.refused))}{/snippet}
        <p class="text-quiet my-2 text-sm">{texts.movingIn.thisWritesThemToA}</p>
        <pre
          class="bg-paper mb-3 overflow-x-auto rounded p-3 font-mono text-sm">npx lucchetto import refused {intake.id} --to mended.csv</pre>
        <ListTable
          list={refused}
          caption={texts.movingIn.refused}
          head={[texts.movingIn.line, texts.movingIn.what, texts.movingIn.reason, texts.movingIn.row]}
        >
          {#snippet row(item)}
            <td class="px-4 py-2.5 font-mono">{item.line}</td>
            <td class="px-4 py-2.5">{item.member}</td>
            <td class="px-4 py-2.5">{item.reason}</td>
            <td class="text-quiet px-4 py-2.5 text-sm break-words">
              {Object.entries(item.values)
                .map(([column, value]) => `${column}: ${value ?? "–"}`)
                .join(" · ")}
            </td>
          {/snippet}
          {#snippet empty()}{texts.movingIn.noneKept}{/snippet}
        </ListTable>
      </Disclosure>
    </div>
  {/if}
</article>
