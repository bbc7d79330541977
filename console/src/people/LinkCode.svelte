<script lang="ts">
  /** A link opened elsewhere than where it was asked for: it does nothing here, but is exchanged for a code to enter there. */
  import type { Snippet } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { call } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    secret: string;
    heading: string;
    next: string;
    /** Said above the code: where to enter it. */
    where: string;
    /** What the link is for, and what to do if it was not oneself. */
    children: Snippet;
    /** Takes what is wrong with the link itself; throws the rest. */
    take: (error: unknown) => void;
  }
  const { secret, heading, next, where, children, take }: Props = $props();
  const form = new Form();
  let code: string | null = $state(null);

  async function exchange(): Promise<void> {
    try {
      const { body } = await call(routes.redeemLink, { body: { secret } });
      if (body.outcome === "code") code = body.code;
    } catch (error) {
      take(error);
    }
  }
</script>

{#if code !== null}
  <PersonFrame heading={texts.linkCode.yourCode} next={where}>
    <p
      class="border-brass bg-slab rounded-lg border-2 px-6 py-5 text-center font-mono text-2xl tracking-widest"
      role="status"
    >
      {code.slice(0, 3)}
      {code.slice(3)}
    </p>
    <p class="mt-6">
      <Interpolate text={texts.linkCode.itWorksOnlyThereAnd}
        >{#snippet warning()}<strong>{texts.linkCode.dontShareItWithAnyone}</strong>{/snippet}</Interpolate
      >
    </p>
  </PersonFrame>
{:else}
  <PersonFrame {heading} {next}>
    <form onsubmit={(event) => form.submit(event, () => ({}), exchange)}>
      <FormProblem problem={form.problem} />
      {@render children()}
      <MainButton text={texts.linkCode.showTheCode} busyText={texts.linkCode.oneMoment} busy={form.sending} />
    </form>
  </PersonFrame>
{/if}
