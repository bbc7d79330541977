<script lang="ts">
  /** A link that does nothing any more: what happened, and what to do next. */
  import { at, page } from "../lib/page.ts";
  import { problemSentence } from "../lib/sentence.ts";
  import Interpolate from "../parts/Interpolate.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    fault: { code: string; title: string; detail: string };
    /** What it was for, if that was known before. */
    purpose: string | null;
  }
  const { fault, purpose }: Props = $props();
</script>

<PersonFrame heading={texts.linkFault.heading ?? fault.title} next={problemSentence(fault)}>
  <ul class="space-y-3">
    {#if fault.code === "link-used"}
      <li>
        <Interpolate text={texts.linkFault.theLinkHasAlreadyBeen}
          >{#snippet signIn()}<a href={at("/sign-in")}>{texts.linkFault.signIn}</a>{/snippet}</Interpolate
        >
      </li>
    {:else}
      <li>
        <Interpolate text={texts.linkFault.withYourPasswordOrA}
          >{#snippet signIn()}<a href={at("/sign-in")}>{texts.linkFault.signIn}</a>{/snippet}</Interpolate
        >
      </li>
    {/if}
    {#if page.mail !== "none" && (purpose === null || purpose === "reset")}
      <li><a href={at("/forgot")}>{texts.linkFault.getANewLink}</a></li>
    {/if}
    {#if purpose === "invite"}
      <li>{texts.linkFault.askThePeopleWhoInvited}</li>
    {:else if purpose === "change-email"}
      <li><a href={at("/account/email")}>{texts.linkFault.startTheChangeAgain}</a></li>
    {:else if purpose === "verify" || fault.code === "address-taken"}
      <li><a href={at("/register")}>{texts.linkFault.registerAgain}</a></li>
    {/if}
  </ul>
</PersonFrame>
