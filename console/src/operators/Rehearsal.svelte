<script lang="ts">
  /** Development only: the walk through a registered application, with its progress. */
  import type { RehearsalShown } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import Choice from "../parts/Choice.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import WalkDrawing from "../parts/WalkDrawing.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  /** Milliseconds between two looks while something goes on. */
  const LOOK_EVERY = 700;

  let apps = $state.raw<ReadonlyArray<{
    clientId: string;
    name: string;
    redirectUris: readonly string[];
  }> | null>(null);
  let items = $state.raw<readonly RehearsalShown[] | null>(null);
  const loader = new Loader();
  const form = new Form();
  let clientId = $state("");
  let open = $state("/");
  let closed = $state("/members");
  let closedApi = $state("");
  let closedLevel2 = $state("");
  let moveClock = $state(false);
  let timer: ReturnType<typeof setTimeout> | undefined;

  const newest = $derived(items?.[0]);
  const isWalking = $derived(newest?.state === "running");

  async function look(): Promise<void> {
    await loader.run(async () => {
      ({ items } = (await call(routes.listRehearsals)).body);
      clearTimeout(timer);
      if (items[0]?.state === "running") timer = setTimeout(() => void look(), LOOK_EVERY);
    });
  }

  onMount(() => {
    void loader.run(async () => {
      apps = (await call(routes.listApps, { query: { limit: 100 } })).body.items;
      clientId = apps[0]?.clientId ?? "";
    });
    void look();
    return () => clearTimeout(timer);
  });

  async function begin(): Promise<void> {
    await operate(routes.beginRehearsal, {
      body: {
        clientId,
        open,
        closed,
        moveClock,
        ...(closedApi === "" ? {} : { closedApi }),
        ...(closedLevel2 === "" ? {} : { closedLevel2 }),
      },
    });
    await look();
  }

  const count = ({ steps }: RehearsalShown, state: string): number =>
    steps.filter((step) => step.state === state).length;
  const summaryOf = (one: RehearsalShown): string =>
    texts.rehearsal.counts(count(one, "passed"), count(one, "failed"), count(one, "left-out"));
</script>

<svelte:head><title>{title(texts.rehearsal.rehearsal)}</title></svelte:head>
<h1 class="text-xl font-semibold">{texts.rehearsal.rehearsal}</h1>
<p class="text-quiet mt-1 max-w-3xl">{texts.rehearsal.aWalkThroughOneOf}</p>
<FormProblem problem={loader.problem} />

<div class="mt-6 grid gap-8 lg:grid-cols-[20rem_1fr]">
  <div>
    {#if apps !== null && apps.length === 0}
      <p class="border-line text-quiet rounded-lg border border-dashed px-4 py-6">
        {texts.rehearsal.noApps} <code>npx lucchetto app add</code>
      </p>
    {:else if apps !== null}
      <form class="space-y-4" novalidate onsubmit={(event) => form.submit(event, () => ({}), begin)}>
        <FormProblem problem={form.problem} />
        <Choice
          name="app"
          label={texts.rehearsal.app}
          choices={apps.map(
            (one) =>
              [one.clientId, `${one.name}, ${new URL(one.redirectUris[0] ?? "http://-").origin}`] as const,
          )}
          bind:value={clientId}
        />
        <Field
          name="closed"
          autocomplete="off"
          label={texts.rehearsal.closed}
          bind:value={closed}
          error={form.errors["closed"]}
        />
        <Field
          name="open"
          autocomplete="off"
          label={texts.rehearsal.open}
          bind:value={open}
          error={form.errors["open"]}
        />
        <Field
          name="closedApi"
          autocomplete="off"
          label={texts.rehearsal.closedApi}
          rules={texts.rehearsal.ifThereIsOne}
          bind:value={closedApi}
          error={form.errors["closedApi"]}
        />
        <Field
          name="closedLevel2"
          autocomplete="off"
          label={texts.rehearsal.closedLevel2}
          rules={texts.rehearsal.ifThereIsOne}
          bind:value={closedLevel2}
          error={form.errors["closedLevel2"]}
        />
        <Checkbox name="moveClock" bind:checked={moveClock}>
          <span>
            {texts.rehearsal.moveClock}
            <span class="text-quiet block text-sm">{texts.rehearsal.movesTheClockForA}</span>
          </span>
        </Checkbox>
        <ActionButton kind="main" type="submit" disabled={isWalking || form.sending}
          >{isWalking ? texts.rehearsal.walking : texts.rehearsal.start}</ActionButton
        >
      </form>
    {/if}
  </div>

  <div class="min-w-0">
    {#if items !== null && newest === undefined}
      <p class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
        {texts.rehearsal.noRehearsalYetOneTakes}
        <code>npx lucchetto rehearse --app http://localhost:8421 --closed /members</code>
      </p>
    {:else if newest !== undefined}
      <section class="border-line bg-slab rounded-lg border p-5" aria-labelledby="newest">
        <div class="flex flex-wrap items-baseline justify-between gap-3">
          <h2 id="newest" class="text-lg font-semibold">
            {texts.rehearsal.of(newest.app.name, newest.closed)}
          </h2>
          <span class="text-quiet text-sm"><Ago at={newest.beganAt} /></span>
        </div>
        <p aria-live="polite" class={["mt-1", newest.state !== "running" && !newest.passed && "text-rust"]}>
          {newest.state === "broken-off" ? texts.rehearsal.stopped(newest.why ?? "") : summaryOf(newest)}
          {#if newest.state === "running"}
            <ActionButton
              kind="text"
              class="ml-2"
              onclick={() =>
                loader.run(async () => {
                  await operate(routes.endRehearsal, { params: { id: newest.id } });
                })}>{texts.rehearsal.stop}</ActionButton
            >
          {/if}
        </p>
        {#if newest.leftBehind !== null}<p class="text-rust">
            {texts.rehearsal.leftBehind(newest.leftBehind)}
          </p>{/if}
        <WalkDrawing steps={newest.steps} />
      </section>
      {#if items !== null && items.length > 1}
        <h2 class="mt-8 font-semibold">{texts.rehearsal.earlier}</h2>
        {#each items.slice(1) as one (one.id)}
          <div class="border-line border-b py-2">
            <Disclosure>
              {#snippet head()}
                {texts.rehearsal.of(one.app.name, one.closed)} · {summaryOf(one)} ·
                <span class="text-quiet text-sm"><Ago at={one.beganAt} /></span>
              {/snippet}
              <WalkDrawing steps={one.steps} />
            </Disclosure>
          </div>
        {/each}
      {/if}
    {/if}
  </div>
</div>
