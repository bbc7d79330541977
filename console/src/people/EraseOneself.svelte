<script lang="ts">
  /** Taking one's data along, and having everything erased. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import Reauthenticate from "../parts/Reauthenticate.svelte";

  const form = new Form();
  let isSure = $state(false);
  let isErased = $state(false);

  onMount(async () => {
    await session.askOrSignIn();
  });

  const proof = new ProofFirst(async () => {
    await call(routes.eraseOwnAccount);
    isErased = true;
    tellTabs();
  });
  const judge = (): Record<string, string> => {
    form.problem = isSure ? null : "Tick the box first, if you mean it.";
    return isSure ? {} : { isSure: "" };
  };
</script>

{#if isErased}
  <PersonFrame
    heading="Your account is erased"
    next="Nothing of it is left here but entries that name nobody."
  >
    <p role="status"><a href={at("/register")}>Begin anew</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame heading="Your data" next="Take along what is kept of you, or have it erased.">
    <p>
      <a href={at("/v1/account/data")} download="my-data.json">Take my data along</a> (JSON: account, sessions,
      journal, mails)
    </p>
    <h2 class="mt-8 text-lg font-semibold">Erase my account</h2>
    <p class="mt-2 mb-4">
      Everything of <strong class="break-all">{account.email ?? account.username}</strong> goes, and you are signed
      out everywhere. This cannot be taken back.
    </p>
    {#if proof.wanted}
      <Reauthenticate name={account.email ?? account.username} shown={proof.goOn} />
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <label class="flex min-h-6 items-center gap-3">
          <input
            type="checkbox"
            name="isSure"
            bind:checked={isSure}
            class="accent-brass text-brass dark:bg-slab size-5 rounded border-gray-400"
          />
          Yes, erase it
        </label>
        <button
          type="submit"
          aria-disabled={form.sending}
          class="border-rust text-rust bg-slab rounded-lg border-2 px-6 py-3 font-semibold"
          >Erase my account</button
        >
      </form>
    {/if}
    <p class="mt-6"><a href={at("/account")}>Your account</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading="Your data" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
