<script lang="ts">
  /** Keys for one's own scripts: make one, see which are used, delete one. */
  import type { AccessKey } from "@lucchetto/contract";
  import { Radio } from "flowbite-svelte";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";

  const DAY = 86_400_000;
  const LIVES = [
    ["30", lazy.accessKeys.inDays(30)],
    ["90", lazy.accessKeys.inDays(90)],
    ["365", lazy.accessKeys.inAYear],
    ["", lazy.accessKeys.never],
  ] as const;

  const form = new Form();
  let items: AccessKey[] | null = $state(null);
  const loader = new Loader();
  let said = $state("");
  let made: { name: string; key: string } | null = $state(null);
  let isCopied = $state(false);
  let name = $state("");
  let days: (typeof LIVES)[number][0] = $state("90");
  let isLimited = $state(false);
  let labels: string[] = $state([]);

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    await loader.run(async () => {
      ({ items } = (await call(routes.listAccessKeys)).body);
    });
  }

  const proof = new ProofFirst(async () => {
    const expiresAt = days === "" ? undefined : new Date(Date.now() + Number(days) * DAY).toISOString();
    const wanted = { name: name.trim(), expiresAt, labels: isLimited ? labels : undefined };
    const { body } = await call(routes.makeAccessKey, { body: wanted });
    made = { name: body.accessKey.name, key: body.key };
    said = "";
    isCopied = false;
    name = "";
    await look();
  });
  const judge = (): Record<string, string> =>
    name.trim() === "" ? { name: lazy.accessKeys.sayWhatTheKeyIs } : {};

  async function copy(key: string): Promise<void> {
    await navigator.clipboard.writeText(key);
    isCopied = true;
  }

  async function remove(one: AccessKey): Promise<void> {
    await loader.run(async () => {
      await call(routes.deleteAccessKey, { params: { id: one.id } });
      said = lazy.accessKeys.wasDeleted(one.name);
      await look();
    });
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "signed-in" && (items !== null || loader.problem !== null)}
  {@const { account } = session.who}
  {@const carried = account.labels.filter((label) => label !== "operator")}
  <PersonFrame heading={lazy.accessKeys.keysForYourScripts} next={lazy.accessKeys.aScriptThatSendsOne}>
    <FormProblem problem={loader.problem} />
    <p role="status" class="text-verdigris">{said}</p>
    {#if made !== null}
      <div class="border-brass bg-slab mb-8 rounded-lg border-2 p-4">
        <h2 class="font-semibold">{lazy.accessKeys.wasCreated(made.name)}</h2>
        <p class="mt-1 mb-3">{lazy.accessKeys.copyTheKeyNowYou}</p>
        <code class="block break-all">{made.key}</code>
        <ActionButton size="sm" class="mt-3" onclick={() => copy(made?.key ?? "")}
          >{isCopied ? lazy.accessKeys.copied : lazy.accessKeys.copyTheKey}</ActionButton
        >
        <p class="text-quiet mt-3 text-sm">{lazy.accessKeys.aScriptSendsItIn}</p>
        <code class="block break-all">Authorization: Bearer {made.key.slice(0, 8)}…</code>
      </div>
    {/if}
    {#if proof.wanted}
      <ProofFirstHere {account} change={proof} />
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <Field
          name="name"
          label={lazy.accessKeys.whatItIsFor}
          autocomplete="off"
          rules={lazy.accessKeys.suchAsBackupOnThe}
          bind:value={name}
          error={form.errors["name"]}
        />
        <Choice name="days" label={lazy.accessKeys.expires} choices={LIVES} bind:value={days} />
        {#if carried.length > 0}
          <fieldset>
            <legend class="mb-1 font-medium">{lazy.accessKeys.labels}</legend>
            {#each [[false, lazy.accessKeys.allMyLabels(carried.join(", "))], [true, lazy.accessKeys.onlyThese]] as const as [value, word] (value)}
              <Radio
                name="which"
                {value}
                bind:group={isLimited}
                class="accent-brass text-brass me-3"
                classes={{ label: "text-ink dark:text-ink min-h-6 text-base font-normal" }}>{word}</Radio
              >
            {/each}
            {#if isLimited}
              <div class="mt-1 ml-7 flex flex-wrap gap-x-5">
                {#each carried as label (label)}
                  <Checkbox
                    name="labels"
                    bind:checked={
                      () => labels.includes(label),
                      (is) => (labels = is ? [...labels, label] : labels.filter((one) => one !== label))
                    }><code>{label}</code></Checkbox
                  >
                {/each}
              </div>
            {/if}
          </fieldset>
        {/if}
        <MainButton
          text={lazy.accessKeys.createKey}
          busyText={lazy.accessKeys.creating}
          busy={form.sending}
        />
      </form>
    {/if}
    <h2 class="mt-10 text-lg font-semibold">{lazy.accessKeys.yourKeys}</h2>
    {#if (items ?? []).length === 0}
      <p class="text-quiet mt-2">{lazy.accessKeys.youHaveNoKeysYet}</p>
    {:else}
      <ul class="divide-line border-line mt-2 divide-y border-y">
        {#each items ?? [] as one (one.id)}
          <li class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1 py-3">
            <div>
              <h3 class="font-semibold">{one.name}</h3>
              <p class="text-quiet text-sm">
                <Interpolate text={lazy.accessKeys.created}
                  >{#snippet when()}<Ago at={one.createdAt} />{/snippet}</Interpolate
                >,
                {#if one.lastUsedAt === null}{lazy.accessKeys.neverUsed}{:else}<Interpolate
                    text={lazy.accessKeys.lastUsed}
                    >{#snippet when()}<Ago at={one.lastUsedAt} />{/snippet}</Interpolate
                  >{/if},
                {#if one.expiresAt === null}{lazy.accessKeys.neverExpires}{:else}<Interpolate
                    text={lazy.accessKeys.ends}
                    >{#snippet when()}<Ago at={one.expiresAt} />{/snippet}</Interpolate
                  >{/if}
                {#if one.labels !== null}<br />{lazy.accessKeys.carries(one.labels)}{/if}
              </p>
            </div>
            <ActionButton
              kind="danger"
              size="sm"
              aria-label={lazy.accessKeys.deleteNamed(one.name)}
              onclick={() => remove(one)}>{lazy.accessKeys.delete}</ActionButton
            >
          </li>
        {/each}
      </ul>
    {/if}
    <p class="mt-6"><a href={at("/account")}>{lazy.accessKeys.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading={lazy.accessKeys.keysForYourScripts} next={lazy.accessKeys.yourKeysCannotBeShown}>
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
