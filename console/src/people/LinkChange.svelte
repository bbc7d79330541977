<script lang="ts">
  /** A link to a new address, opened where nobody asked for the change: it changes nothing here, but shows a code. */
  import type { LinkLook } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { call } from "../lib/page.ts";
  import CodeShown from "../parts/CodeShown.svelte";
  import Fill from "../parts/Fill.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    look: LinkLook;
    secret: string;
    /** Takes what is wrong with the link itself; throws the rest. */
    take: (error: unknown) => void;
  }
  const { look, secret, take }: Props = $props();
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
  <PersonFrame heading={texts.linkChange.yourCode} next={texts.linkChange.enterItWhereYouAsked}>
    <CodeShown {code} />
  </PersonFrame>
{:else}
  <PersonFrame heading={texts.linkChange.confirmAddress} next={texts.linkChange.askedForElsewhere}>
    <form onsubmit={(event) => form.submit(event, () => ({}), exchange)}>
      <FormProblem problem={form.problem} />
      <p class="mb-6">
        <Fill text={texts.linkChange.ofAccount} account={look.name}
          >{#snippet address()}<strong class="break-all">{look.newEmail}</strong>{/snippet}</Fill
        >
      </p>
      <p class="mb-6">{texts.linkChange.ifThatWasYou}</p>
      <MainButton
        text={texts.linkChange.showTheCode}
        busyText={texts.linkChange.oneMoment}
        busy={form.sending}
      />
    </form>
  </PersonFrame>
{/if}
