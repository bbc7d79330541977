<script lang="ts">
  /** One request taken apart. */
  import type { RequestTrace } from "@lucchetto/contract";
  import { at } from "../lib/page.ts";
  import RecordDrawing from "../parts/RecordDrawing.svelte";
  import { texts } from "./texts.ts";
  import TimeBar from "./TimeBar.svelte";

  const { trace }: { trace: RequestTrace } = $props();

  const SIGNS = { well: "✓", refused: "✗", neutral: "·" } as const;
  const CHANGES = { added: "+", changed: "~", removed: "−" } as const;
  const firstAfter = $derived(trace.checks.find((one) => one.at > trace.milliseconds));
</script>

<article>
  <h3>
    <code>{trace.method} {trace.path}</code>
    <span class={trace.status >= 400 ? "bad" : "good"}>{trace.status} {trace.outcome ?? ""}</span>
  </h3>
  <p class="quiet">
    {texts.by[trace.by]}, {texts.milliseconds(trace.milliseconds)}, {texts.request}
    <code>{trace.requestId}</code>
  </p>
  <TimeBar {trace} />

  {#if trace.checks.length > 0}
    <h4>{texts.checks}</h4>
    <ol class="checks">
      {#each trace.checks as check, index (index)}
        {#if check === firstAfter}<li class="quiet">{texts.afterTheReply}</li>{/if}
        <li>
          <span class="when">{check.at.toFixed(1)}</span>
          <span class={["sign", check.state]} aria-hidden="true">{SIGNS[check.state]}</span>
          <span
            ><strong>{check.what}</strong>
            {check.found} <span class="hidden">{texts.state[check.state]}</span></span
          >
        </li>
      {/each}
    </ol>
  {/if}

  {#if trace.told.length > 0}
    <h4>{texts.told}</h4>
    <ul class="plain">
      {#each trace.told as sentence, index (index)}<li>{sentence}</li>{/each}
    </ul>
  {/if}

  {#if trace.rows.length > 0}
    <h4>{texts.rows}</h4>
    {#each trace.rows as row, index (index)}
      <details open={row.record !== null}>
        <summary>
          <span class={["sign", row.change]} aria-hidden="true">{CHANGES[row.change]}</span>
          <code>{row.table}</code>
          <span class="quiet"
            >{texts.change[row.change]}{row.count > 1 ? `, ${texts.rowCount(row.count)}` : ""}</span
          >
        </summary>
        {#if row.record !== null}
          <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
          <div class="record" role="group" tabindex="0" aria-label={texts.record}>
            <RecordDrawing segments={row.record} />
          </div>
        {/if}
        <dl>
          {#each row.values as { name, value } (name)}
            <dt>{name}</dt>
            <dd>{value}</dd>
          {/each}
        </dl>
      </details>
    {/each}
  {/if}

  {#if trace.cookies.length > 0}
    <h4>{texts.cookies}</h4>
    <ul class="plain">
      {#each trace.cookies as cookie (cookie.name)}
        <li>
          <code>{cookie.name}{cookie.value === null ? "" : `=${cookie.value}`}</code>
          <span class="quiet">{cookie.value === null ? texts.removed : cookie.attributes.join("; ")}</span>
        </li>
      {/each}
    </ul>
  {/if}

  {#if trace.mails.length > 0}
    <h4>{texts.mails}</h4>
    <ul class="plain">
      {#each trace.mails as mail (mail.id)}
        <li>
          {mail.subject} <span class="quiet">{mail.to}</span>
          <a href={at("/mailbox")}>{texts.inTheMailbox}</a>
        </li>
      {/each}
    </ul>
  {/if}

  {#if trace.webhooks.length > 0}
    <h4>{texts.webhooks}</h4>
    <ul class="plain">
      {#each trace.webhooks as { kind, event, answer }, index (index)}
        <li>{kind} <code>{event}</code> {answer ?? ""}</li>
      {/each}
    </ul>
  {/if}

  {#if trace.statements.length > 0}
    <details class="statements">
      <summary>{texts.statements} <span class="quiet">{trace.statements.length}</span></summary>
      <ol>
        {#each trace.statements as { text, milliseconds, error }, index (index)}
          <li>
            <span class="when">{milliseconds.toFixed(1)}</span> <code>{text}</code>{#if error}<span
                class="bad">{error}</span
              >{/if}
          </li>
        {/each}
      </ol>
    </details>
  {/if}
</article>

<style>
  h3 {
    margin-top: 1.25rem;
    font-size: 1rem;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  h3 span {
    margin-inline-start: 0.5rem;
  }
  h4 {
    margin: 1.25rem 0 0.375rem;
    font-weight: 600;
  }
  .quiet,
  .when {
    color: var(--quiet);
    font-weight: 400;
    overflow-wrap: anywhere;
  }
  .good,
  .well,
  .added {
    color: var(--verdigris);
  }
  .bad,
  .refused,
  .removed {
    color: var(--rust);
  }
  .neutral {
    color: var(--quiet);
  }
  .changed {
    color: var(--brass);
  }
  .checks li:not(.quiet) {
    display: grid;
    grid-template-columns: 3.25rem 1rem 1fr;
    gap: 0.5rem;
    padding: 0.125rem 0;
    overflow-wrap: anywhere;
  }
  .when {
    text-align: end;
    font-variant-numeric: tabular-nums;
  }
  .sign {
    display: inline-block;
    width: 1rem;
    font-weight: 700;
    text-align: center;
  }
  .hidden {
    position: absolute;
    width: 1px;
    height: 1px;
    overflow: hidden;
    clip-path: inset(50%);
  }
  .plain li {
    padding: 0.125rem 0;
    overflow-wrap: anywhere;
  }
  details {
    border-top: 1px solid var(--line);
    padding: 0.375rem 0;
  }
  summary {
    cursor: pointer;
  }
  .record {
    overflow-x: auto;
    padding: 0.75rem 0 0.25rem;
  }
  dl {
    display: grid;
    grid-template-columns: minmax(7rem, max-content) 1fr;
    gap: 0.125rem 1rem;
    padding: 0.375rem 0 0.25rem 1.5rem;
  }
  dt {
    color: var(--quiet);
  }
  dd {
    font-family: var(--font-mono);
    overflow-wrap: anywhere;
  }
  .statements {
    margin-top: 1.25rem;
  }
  .statements li {
    display: grid;
    grid-template-columns: 3.25rem 1fr;
    gap: 0.5rem;
    padding: 0.125rem 0;
    overflow-wrap: anywhere;
  }
</style>
