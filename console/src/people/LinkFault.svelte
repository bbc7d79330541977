<script lang="ts">
  /** A link that does nothing any more: what happened, and what to do next. */
  import { at, page } from "../lib/page.ts";
  import PersonFrame from "../parts/PersonFrame.svelte";

  interface Props {
    fault: { code: string; title: string; detail: string };
    /** What it was for, if that was known before. */
    purpose: string | null;
  }
  const { fault, purpose }: Props = $props();
</script>

<PersonFrame heading={fault.title} next={fault.detail}>
  <ul class="space-y-3">
    {#if fault.code === "link-used"}
      <li><a href={at("/sign-in")}>Sign in</a>: what the link was for is done.</li>
    {:else}
      <li><a href={at("/sign-in")}>Sign in</a>, by password or by a fresh link</li>
    {/if}
    {#if page.mail !== "none" && (purpose === null || purpose === "reset")}
      <li><a href={at("/forgot")}>Ask for a new password</a></li>
    {/if}
    {#if purpose === "invite"}
      <li>Ask the people who invited you for a new invitation.</li>
    {:else if purpose === "change-email"}
      <li><a href={at("/account/email")}>Ask for the change again</a></li>
    {:else if purpose === "verify" || fault.code === "address-taken"}
      <li><a href={at("/register")}>Register again</a></li>
    {/if}
  </ul>
</PersonFrame>
