<script lang="ts">
  /** Keys for one's own scripts: make one, see which are used, delete one. */
  import type { AccessKey } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Ago from "../parts/Ago.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import Reauthenticate from "../parts/Reauthenticate.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";

  const DAY = 86_400_000;
  const LIVES = [
    ["30", "in 30 days"],
    ["90", "in 90 days"],
    ["365", "in a year"],
    ["", "never by itself"],
  ] as const;

  const form = new Form();
  let items: AccessKey[] | null = $state(null);
  let problem: string | null = $state(null);
  let said = $state("");
  let made: { name: string; key: string } | null = $state(null);
  let isCopied = $state(false);
  let name = $state("");
  let days: string = $state("90");
  let isLimited = $state(false);
  let labels: string[] = $state([]);

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    try {
      ({ items } = (await call(routes.listAccessKeys)).body);
      problem = null;
    } catch (error) {
      problem = (error as Error).message;
    }
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
    name.trim() === "" ? { name: "Say what the key is for." } : {};

  async function copy(key: string): Promise<void> {
    await navigator.clipboard.writeText(key);
    isCopied = true;
  }

  async function remove(one: AccessKey): Promise<void> {
    try {
      await call(routes.deleteAccessKey, { params: { id: one.id } });
      said = `“${one.name}” is deleted. It is refused from now on.`;
      await look();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "signed-in" && (items !== null || problem !== null)}
  {@const { account } = session.who}
  {@const carried = account.labels.filter((label) => label !== "operator")}
  <PersonFrame
    heading="Keys for your scripts"
    next="A script that sends one is let in by the site’s applications as you."
  >
    <FormProblem {problem} />
    <p role="status" class="text-verdigris">{said}</p>
    {#if made !== null}
      <div class="border-brass bg-slab mb-8 rounded-lg border-2 p-4">
        <h2 class="font-semibold">“{made.name}” is made</h2>
        <p class="mt-1 mb-3">Copy the key now: it is shown this once.</p>
        <code class="block break-all">{made.key}</code>
        <button
          type="button"
          class="border-line bg-slab mt-3 rounded border px-3 py-1 text-sm"
          onclick={() => copy(made?.key ?? "")}>{isCopied ? "Copied ✓" : "Copy the key"}</button
        >
        <p class="text-quiet mt-3 text-sm">A script sends it in a header:</p>
        <code class="block break-all">Authorization: Bearer {made.key.slice(0, 8)}…</code>
      </div>
    {/if}
    {#if proof.wanted}
      <Reauthenticate name={account.email ?? account.username} shown={proof.goOn} />
      <p class="mt-6">
        <button type="button" class="text-link underline" onclick={() => (proof.wanted = false)}>Back</button>
      </p>
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <Field
          name="name"
          label="What it is for"
          autocomplete="off"
          rules="Such as “backup on the office machine”."
          bind:value={name}
          error={form.errors["name"]}
        />
        <div>
          <label for="days" class="mb-1 block font-medium">It ends</label>
          <select
            id="days"
            name="days"
            bind:value={days}
            class="bg-slab text-ink w-full rounded-lg border border-gray-400 px-3 py-2.5 dark:border-gray-500"
          >
            {#each LIVES as [value, text] (value)}<option {value}>{text}</option>{/each}
          </select>
        </div>
        {#if carried.length > 0}
          <fieldset>
            <legend class="mb-1 font-medium">It carries</legend>
            <label class="flex min-h-6 items-center gap-3">
              <input type="radio" name="which" checked={!isLimited} onchange={() => (isLimited = false)} />
              all my labels ({carried.join(", ")})
            </label>
            <label class="flex min-h-6 items-center gap-3">
              <input type="radio" name="which" checked={isLimited} onchange={() => (isLimited = true)} />
              only these:
            </label>
            {#if isLimited}
              <div class="mt-1 ml-7 flex flex-wrap gap-x-5">
                {#each carried as label (label)}
                  <label class="flex min-h-6 items-center gap-2">
                    <input type="checkbox" name="labels" value={label} bind:group={labels} />
                    <code>{label}</code>
                  </label>
                {/each}
              </div>
            {/if}
          </fieldset>
        {/if}
        <MainButton text="Make a key" busyText="Making …" busy={form.sending} />
      </form>
    {/if}
    <h2 class="mt-10 text-lg font-semibold">Your keys</h2>
    {#if (items ?? []).length === 0}
      <p class="text-quiet mt-2">There is none yet.</p>
    {:else}
      <ul class="divide-line border-line mt-2 divide-y border-y">
        {#each items ?? [] as one (one.id)}
          <li class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1 py-3">
            <div>
              <h3 class="font-semibold">{one.name}</h3>
              <p class="text-quiet text-sm">
                made <Ago at={one.createdAt} />,
                {#if one.lastUsedAt === null}never used{:else}last used <Ago at={one.lastUsedAt} />{/if},
                {#if one.expiresAt === null}does not end{:else}ends <Ago at={one.expiresAt} />{/if}
                {#if one.labels !== null}<br />carries {one.labels.length === 0
                    ? "no label"
                    : one.labels.join(", ")} at most{/if}
              </p>
            </div>
            <button
              type="button"
              class="border-rust text-rust bg-slab min-h-6 rounded border px-3 py-1 text-sm"
              aria-label="Delete {one.name}"
              onclick={() => remove(one)}>Delete</button
            >
          </li>
        {/each}
      </ul>
    {/if}
    <p class="mt-6"><a href={at("/account")}>Your account</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading="Keys for your scripts" next="They cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
