<script lang="ts">
  /** How people sign in, day by day; how many have a second factor, and who must have one and has none. */
  import type { SignInFigures } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import { share } from "../lib/plot.ts";
  import { sharesOver, waysOf } from "../lib/sign-in-methods.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import Plot from "../parts/Plot.svelte";
  import { consoleTexts } from "../texts/console.ts";

  const texts = consoleTexts.signIns;
  let figures = $state.raw<SignInFigures | null>(null);
  const loader = new Loader();
  const ways = $derived(figures === null ? [] : waysOf(figures.days));
  const total = $derived(ways.reduce((sum, { signIns }) => sum + signIns, 0));

  onMount(async () => {
    await loader.run(async () => {
      figures = (await call(routes.showSignInFigures)).body;
    });
  });
</script>

<svelte:head><title>{title(texts.signIns)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">{texts.howPeopleSignIn}</h1>
<FormProblem problem={loader.problem} />
{#if figures !== null}
  {@const { accounts, duty } = figures}
  {#if total === 0}
    <p class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
      {texts.signInsAreCountedHere}
    </p>
  {:else}
    <section class="border-line bg-slab rounded-lg border p-4" aria-labelledby="over-time">
      <h2 id="over-time" class="mb-2 text-lg font-semibold">{texts.dayByDay}</h2>
      <Plot label={texts.sharesOfEachWay(figures.days.length, total)} configure={sharesOver(figures.days)} />
    </section>
    <div class="border-line bg-slab mt-6 overflow-x-auto rounded-lg border">
      <table class="w-full text-left">
        <caption class="sr-only">{texts.ways}</caption>
        <thead class="text-quiet border-line border-b text-sm">
          <tr>
            {#each [texts.way, texts.signIns, texts.share] as word (word)}
              <th scope="col" class="px-4 py-2 font-medium whitespace-nowrap">{word}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each ways as { name, signIns } (name)}
            <tr class="border-line border-b last:border-0">
              <td class="px-4 py-2.5">{name}</td>
              <td class="px-4 py-2.5">{signIns}</td>
              <td class="px-4 py-2.5">{share(signIns, total)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  <section class="mt-8" aria-labelledby="second-factors">
    <h2 id="second-factors" class="mb-2 text-lg font-semibold">{texts.secondFactors}</h2>
    <p>
      <Interpolate
        text={texts.ofActiveAccounts(accounts.active, share(accounts.withSecondFactor, accounts.active))}
      >
        {#snippet have()}<a href={at("/console/accounts?second-factor=present")}
            >{texts.haveOne(accounts.withSecondFactor)}</a
          >{/snippet}
      </Interpolate>
      {texts.ofWhich(accounts.withAuthenticator, accounts.withPasskey)}
    </p>
    <p class="mt-2">
      {#if !duty.everybody && duty.labels.length === 0}
        <Interpolate text={texts.nobodyMust}
          >{#snippet setting()}<code>secondFactor.required</code>{/snippet}</Interpolate
        >
      {:else}
        {duty.everybody ? texts.everybodyMust : texts.whoCarries(duty.labels.join(", "))}
        {#if duty.passkeyOnly.length > 0}{texts.onlyAPasskey(duty.passkeyOnly.join(", "))}{/if}
        {#if duty.missing === 0}
          {texts.nobodyMissing(duty.accounts)}
        {:else}
          <Interpolate text={texts.missing(duty.accounts)}
            >{#snippet those()}<a href={at("/console/accounts?second-factor=missing")}
                >{texts.haveNoneYet(duty.missing)}</a
              >{/snippet}</Interpolate
          >
        {/if}
      {/if}
    </p>
  </section>
{/if}
