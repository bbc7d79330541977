<script lang="ts">
  /** A users table taken in, in four steps down one page: the file, the plan, the check, the run. */
  import type { DraftedPlan, IntakeDraft } from "@lucchetto/contract";
  import { delimiterOf, MAX_UPLOAD } from "@lucchetto/contract/pages";
  import { Fileupload, Textarea } from "flowbite-svelte";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { bytes } from "../lib/bytes.ts";
  import { Form } from "../lib/form.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { at, call, go, title } from "../lib/page.ts";
  import { upload } from "../lib/upload.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import Choice from "../parts/Choice.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Progress from "../parts/Progress.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";
  import CheckedRows from "./CheckedRows.svelte";
  import KnownPasswords from "./KnownPasswords.svelte";
  import PreviewRows from "./PreviewRows.svelte";

  /** Of a file, in which its header stands. */
  const BEGINNING_BYTES = 64 * 1024;
  /** Milliseconds between two looks while something goes on. */
  const LOOK_EVERY = 700;
  const FORMATS = (["csv", "json-lines"] as const).map((one) => [one, one] as const);
  const ENCODINGS = (["utf-8", "windows-1252", "iso-8859-15"] as const).map((one) => [one, one] as const);
  const DELIMITERS = [
    [",", texts.moveIn.comma],
    [";", texts.moveIn.semicolon],
    ["\t", texts.moveIn.tab],
    ["|", "|"],
  ] as const;

  const file = $state({ chosen: null as FileList | null });
  let format = $state<(typeof FORMATS)[number][0]>("csv");
  let delimiter = $state<(typeof DELIMITERS)[number][0]>(",");
  let encoding = $state<(typeof ENCODINGS)[number][0]>("utf-8");
  let draft = $state<IntakeDraft | null>(null);
  let drafted = $state<DraftedPlan | null>(null);
  let plan = $state("");
  let known = $state([{ who: "", password: "" }]);
  let unproven = $state(false);
  const uploading = new Form();
  const checking = new Form();
  const running = new Form();

  const chosen = $derived(file.chosen?.[0] ?? null);
  const isBusy = $derived(draft?.state === "checking" || draft?.state === "running");
  const mayRun = $derived(draft?.check !== null && draft?.check !== undefined && !isBusy);
  const pairs = $derived(known.filter(({ who }) => who.trim() !== ""));

  function judgeFile(): Record<string, string> {
    if (chosen === null) return { file: texts.moveIn.chooseOne };
    return chosen.size > MAX_UPLOAD ? { file: texts.moveIn.itIsLargerThan1 } : {};
  }

  async function begin(): Promise<void> {
    if (chosen === null) return;
    const begun = await operate(routes.beginIntakeDraft, {
      body: { name: chosen.name, format, delimiter, encoding },
    });
    draft = begun.body as IntakeDraft;
    await upload(chosen, draft, (next) => (draft = next));
    const answer = await operate(routes.planIntakeDraft, { params: { id: draft.id }, body: {} });
    drafted = answer.body as DraftedPlan;
    plan = drafted.plan;
  }

  async function look(): Promise<void> {
    if (draft === null || !isBusy) return;
    const { body } = await call(routes.showIntakeDraft, { params: { id: draft.id } });
    draft = body as IntakeDraft;
    if (draft.state === "done") go(at("/console/moving-in"));
  }

  async function check(): Promise<void> {
    if (draft === null) return;
    const body = { plan, known: pairs };
    draft = (await operate(routes.checkIntakeDraft, { params: { id: draft.id }, body })).body as IntakeDraft;
  }

  async function run(): Promise<void> {
    if (draft === null) return;
    const body = { plan, known: pairs, unproven };
    draft = (await operate(routes.runIntakeDraft, { params: { id: draft.id }, body })).body as IntakeDraft;
  }

  async function throwAway(): Promise<void> {
    if (draft !== null) await operate(routes.dropIntakeDraft, { params: { id: draft.id } });
    draft = null;
    drafted = null;
  }

  async function guessFormat(): Promise<void> {
    if (chosen === null) return;
    format = /\.(?:jsonl|ndjson)$/i.test(chosen.name) ? "json-lines" : "csv";
    delimiter = delimiterOf(await chosen.slice(0, BEGINNING_BYTES).text());
  }

  onMount(() => {
    const timer = setInterval(() => void look().catch((error: unknown) => uploading.take(error)), LOOK_EVERY);
    return () => clearInterval(timer);
  });
</script>

<svelte:head><title>{title(texts.moveIn.importAUsersTable)}</title></svelte:head>
<h1 class="mb-2 text-xl font-semibold">{texts.moveIn.importAUsersTable}</h1>
<p class="text-quiet mb-6 max-w-3xl">{texts.moveIn.uploadAFileFromYour}</p>

<section class="border-line bg-slab mb-4 rounded-lg border p-4 md:p-5" aria-labelledby="step-file">
  <h2 id="step-file" class="mb-3 font-semibold">{texts.moveIn.theFile}</h2>
  <FormProblem problem={uploading.problem} />
  {#if draft === null}
    <form
      class="grid items-end gap-4 md:grid-cols-[2fr_1fr_1fr_1fr_auto]"
      novalidate
      onsubmit={(event) => uploading.submit(event, judgeFile, begin)}
    >
      <label class="block">
        <span class="mb-1 block font-medium">{texts.moveIn.csvOrJsonLines}</span>
        <Fileupload
          name="file"
          id="file"
          bind:files={file.chosen}
          onchange={guessFormat}
          aria-invalid={uploading.errors["file"] ? "true" : undefined}
          aria-describedby={uploading.errors["file"] ? "file-error" : undefined}
          class="border-line dark:border-line text-ink dark:text-ink bg-paper dark:bg-paper w-full"
        />
        {#if uploading.errors["file"]}<span id="file-error" class="text-rust mt-1 block text-sm font-medium"
            >✕ {uploading.errors["file"]}</span
          >{/if}
      </label>
      <Choice name="format" label={texts.moveIn.format} choices={FORMATS} bind:value={format} />
      <Choice
        name="delimiter"
        label={texts.moveIn.delimiter}
        choices={DELIMITERS}
        disabled={format !== "csv"}
        bind:value={delimiter}
      />
      <Choice name="encoding" label={texts.moveIn.encoding} choices={ENCODINGS} bind:value={encoding} />
      <ActionButton type="submit" aria-disabled={uploading.sending}>{texts.moveIn.upload}</ActionButton>
    </form>
    <p class="text-quiet mt-3 text-sm">{texts.moveIn.theFileIsKeptOn}</p>
  {:else}
    <p class="flex flex-wrap items-baseline gap-x-6 gap-y-2">
      <span class="font-medium break-all">{draft.name}</span>
      <span class="text-quiet font-mono text-sm">{bytes(draft.bytes)}</span>
      {#if !isBusy && !uploading.sending}<ActionButton
          kind="quiet"
          class="underline"
          onclick={() => throwAway().catch((error: unknown) => uploading.take(error))}
          >{texts.moveIn.discard}</ActionButton
        >{/if}
    </p>
    {#if uploading.sending && chosen !== null}
      <Progress label={texts.moveIn.uploading} done={draft.bytes} total={chosen.size} />
    {/if}
  {/if}
</section>

{#if draft !== null && drafted !== null}
  <section class="border-line bg-slab mb-4 rounded-lg border p-4 md:p-5" aria-labelledby="step-plan">
    <h2 id="step-plan" class="mb-3 font-semibold">{texts.moveIn.thePlan}</h2>
    <PreviewRows preview={drafted.preview} />
    <ul class="my-4 grid gap-1 text-sm">
      {#each drafted.guesses as { member, column, reason } (member)}
        <li><span class="font-medium">{member}</span>: <code>{column}</code>, {reason}</li>
      {/each}
      {#if drafted.leftOut.length > 0}<li class="text-quiet">
          {texts.moveIn.leftOut(drafted.leftOut.join(", "))}
        </li>{/if}
    </ul>
    <form novalidate onsubmit={(event) => checking.submit(event, () => ({}), check)}>
      <FormProblem problem={checking.problem} />
      <label class="mb-1 block font-medium" for="plan">{texts.moveIn.readItAndCorrectWhat}</label>
      <Textarea
        id="plan"
        name="plan"
        bind:value={plan}
        rows={16}
        spellcheck="false"
        aria-invalid={checking.errors["plan"] ? "true" : undefined}
        aria-describedby={checking.errors["plan"] ? "plan-error" : undefined}
        class="bg-slab dark:bg-slab border-line dark:border-line text-ink dark:text-ink font-mono text-sm"
        classes={{ wrapper: "w-full" }}
      />
      {#if checking.errors["plan"]}<p
          id="plan-error"
          class="text-rust mt-1 text-sm font-medium whitespace-pre-wrap"
        >
          ✕ {checking.errors["plan"]}
        </p>{/if}
      <KnownPasswords bind:known />
      <ActionButton type="submit" class="mt-4" aria-disabled={checking.sending || isBusy}
        >{texts.moveIn.check}</ActionButton
      >
    </form>
    {#if draft.state === "checking"}<Progress
        label={texts.moveIn.checking}
        done={draft.done}
        total={draft.total}
      />{/if}
  </section>
{/if}

{#if draft !== null && (draft.check !== null || draft.fault !== null)}
  <section class="border-line bg-slab mb-4 rounded-lg border p-4 md:p-5" aria-labelledby="step-run">
    <h2 id="step-run" class="mb-3 font-semibold">{texts.moveIn.whatWouldBecome}</h2>
    <FormProblem problem={draft.fault} />
    {#if draft.check !== null}<CheckedRows check={draft.check} />{/if}
    <form class="mt-5" novalidate onsubmit={(event) => running.submit(event, () => ({}), run)}>
      <FormProblem problem={running.problem} />
      {#if draft.check?.recipes.some(({ isProven }) => !isProven)}
        <Checkbox name="unproven" bind:checked={unproven}>{texts.moveIn.importEvenIfNoKnown}</Checkbox>
      {/if}
      <ActionButton kind="main" type="submit" aria-disabled={running.sending || !mayRun}
        >{texts.moveIn.import}</ActionButton
      >
    </form>
    {#if draft.state === "running"}<Progress
        label={texts.moveIn.importing}
        done={draft.done}
        total={draft.total}
      />{/if}
  </section>
{/if}
