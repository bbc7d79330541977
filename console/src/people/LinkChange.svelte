<script lang="ts">
  /** A link to a new address, opened where nobody asked for the change. */
  import type { LinkLook } from "@lucchetto/contract";
  import Interpolate from "../parts/Interpolate.svelte";
  import { texts } from "../texts/texts.ts";
  import LinkCode from "./LinkCode.svelte";

  interface Props {
    look: LinkLook;
    secret: string;
    take: (error: unknown) => void;
  }
  const { look, secret, take }: Props = $props();
</script>

<LinkCode
  {secret}
  {take}
  heading={texts.linkChange.confirmAddress}
  next={texts.linkChange.theChangeWasRequestedIn}
  where={texts.linkChange.enterItWhereYouAsked}
>
  <p class="mb-6">
    <Interpolate text={texts.linkChange.ofAccount} account={look.name}
      >{#snippet address()}<strong class="break-all">{look.newEmail}</strong>{/snippet}</Interpolate
    >
  </p>
  <p class="mb-6">{texts.linkChange.ifThatWasYouGet}</p>
</LinkCode>
