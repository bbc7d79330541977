<script lang="ts">
  /** A link to sign in with: in the browser that asked a click signs in; in any other it is swapped for a code. */
  import type { LinkLook } from "@lucchetto/contract";
  import { ownPathOr } from "@lucchetto/contract/pages";
  import { routes } from "virtual:routes";
  import { device } from "../lib/device.ts";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import type { Step } from "../lib/step.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SetUpLists from "../parts/SetUpLists.svelte";
  import { texts } from "../texts/texts.ts";
  import LinkCode from "./LinkCode.svelte";
  import NextStep from "./NextStep.svelte";

  interface Props {
    look: LinkLook;
    secret: string;
    /** Takes what is wrong with the link itself; throws the rest. */
    take: (error: unknown) => void;
  }
  const { look, secret, take }: Props = $props();
  const form = new Form();
  let notMine: string[] = $state([]);
  let more: Step | null = $state(null);
  let next = at(page.landings.afterSignIn);

  function finish(): void {
    tellTabs();
    go(next);
  }

  async function use(): Promise<void> {
    try {
      const { body, status } = await call(routes.addProof, {
        body: { proof: { type: "mail-link", secret, ...(notMine.length === 0 ? {} : { notMine }) } },
      });
      if (status === 202) more = body;
      else {
        next = ownPathOr(next, body.returnTo, page.basePath);
        finish();
      }
    } catch (error) {
      take(error);
    }
  }
</script>

{#if more !== null}
  <NextStep identifier={look.name} shown={texts.linkSignIn.linkFromTheMail} step={more} done={finish} />
{:else if look.here}
  <PersonFrame heading={texts.linkSignIn.signIn} next={texts.linkSignIn.youAskedForThisLink}>
    <form onsubmit={(event) => form.submit(event, () => ({}), use)}>
      <FormProblem problem={form.problem} />
      <p class="mb-6">
        <Interpolate text={texts.linkSignIn.as}
          >{#snippet name()}<strong class="break-all">{look.name}</strong>{/snippet}</Interpolate
        >
      </p>
      {#if look.setUp !== null}<div class="mb-6 space-y-5">
          <SetUpLists setUp={look.setUp} bind:notMine />
        </div>{/if}
      <MainButton text={texts.linkSignIn.signIn} busyText={texts.linkSignIn.signingIn} busy={form.sending} />
    </form>
  </PersonFrame>
{:else}
  <LinkCode
    {secret}
    {take}
    heading={texts.linkSignIn.signingInElsewhere}
    next={texts.linkSignIn.thisLinkWasRequestedIn}
    where={texts.linkSignIn.enterItWhereYouStarted}
  >
    <dl class="divide-line border-line mb-6 divide-y border-y">
      {#snippet fact(name: string, value: string)}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">{name}</dt>
          <dd class="break-all">{value}</dd>
        </div>
      {/snippet}
      {@render fact(texts.linkSignIn.account, look.name)}
      {#if look.begunIn}
        {@render fact(texts.linkSignIn.requestedIn, device(look.begunIn.userAgent))}
        {@render fact(texts.linkSignIn.from, look.begunIn.network ?? texts.linkSignIn.unknown)}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">{texts.linkSignIn.when}</dt>
          <dd><Ago at={look.begunIn.at} /></dd>
        </div>
      {/if}
    </dl>
    {#if look.setUp !== null}<div class="mb-6 space-y-5"><SetUpLists setUp={look.setUp} /></div>{/if}
    <p class="mb-6">{texts.linkSignIn.ifThatWasYouGet}</p>
  </LinkCode>
{/if}
