<script lang="ts">
  /** The HTTP contract, read from the OpenAPI document that the service makes of its own schemas. */
  import { onMount } from "svelte";
  import { at } from "../lib/page.ts";
  import Disclosure from "../parts/Disclosure.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Schema {
    type?: string | string[];
    $ref?: string;
    properties?: Record<string, Schema>;
    required?: string[];
    enum?: unknown[];
    const?: unknown;
    items?: Schema;
    anyOf?: Schema[];
    oneOf?: Schema[];
    description?: string;
  }
  interface Content {
    description?: string;
    content?: Record<string, { schema: Schema; examples?: Record<string, unknown> }>;
  }
  interface Operation {
    summary: string;
    tags?: string[];
    security?: Array<Record<string, unknown>>;
    parameters?: Array<{ name: string; in: string; required: boolean; schema: Schema }>;
    requestBody?: Content;
    responses: Record<string, Content>;
  }
  interface Description {
    info: { title: string; version: string; description: string };
    paths: Record<string, Record<string, Operation>>;
    components: { schemas: Record<string, Schema> };
  }

  let description: Description | null = $state(null);
  let problem: string | null = $state(null);

  onMount(async () => {
    try {
      const response = await fetch(at("/openapi.json"));
      description = (await response.json()) as Description;
    } catch {
      problem = texts.docs.theDescriptionCannotBeLoaded;
    }
  });

  /** A schema in one line, as a developer would write it down. */
  function inWords(schema: Schema, depth = 0): string {
    if (schema.$ref) return schema.$ref.split("/").at(-1) ?? "";
    const either = schema.anyOf ?? schema.oneOf;
    if (either) return either.map((one) => inWords(one, depth)).join(" | ");
    if (schema.const !== undefined) return JSON.stringify(schema.const);
    if (schema.enum) return schema.enum.map((one) => JSON.stringify(one)).join(" | ");
    const orNull = Array.isArray(schema.type) && schema.type.includes("null") ? " | null" : "";
    if (isOf(schema, "array")) return `[${inWords(schema.items ?? {}, depth + 1)}]${orNull}`;
    if (schema.properties) {
      const members = Object.entries(schema.properties).map(([name, member]) => {
        const optional = schema.required?.includes(name) ? "" : "?";
        return depth > 1 ? name + optional : `${name}${optional}: ${inWords(member, depth + 1)}`;
      });
      return `{ ${members.join(", ")} }`;
    }
    return [schema.type ?? texts.docs.anything].flat().join(" | ");
  }

  function isOf({ type }: Schema, wanted: string): boolean {
    return type === wanted || (Array.isArray(type) && type.includes(wanted));
  }

  /** The problems that a reply may be; each has a page of its own. */
  function problemsOf(reply: Content): string[] {
    return Object.keys(reply.content?.["application/problem+json"]?.examples ?? {});
  }

  function whoMayCall({ security = [], tags = [] }: Operation): string {
    if (security.length === 0) return texts.docs.anybody;
    if (security.some((one) => "appKey" in one)) return texts.docs.anApplicationWithItsApp;
    return tags.includes("operator") ? texts.docs.operators : texts.docs.whoeverIsSignedIn;
  }

  function bodyOf(part: Content | undefined): string | null {
    const [media] = Object.values(part?.content ?? {});
    return media === undefined ? null : inWords(media.schema);
  }
</script>

<PersonFrame heading={texts.docs.theCalls} next={description?.info.description} wide>
  <FormProblem {problem} />
  {#if description}
    <p>
      <Interpolate text={texts.docs.theSameForPrograms}
        >{#snippet file()}<a href={at("/openapi.json")}>openapi.json</a>{/snippet}</Interpolate
      >
    </p>
    <div class="mt-6 space-y-3">
      {#each Object.entries(description.paths) as [path, operations] (path)}
        {#each Object.entries(operations) as [method, operation] (method)}
          <div class="border-line bg-slab rounded-lg border">
            <Disclosure class="px-4 py-3">
              {#snippet head()}
                <code class="text-brass font-semibold">{method.toUpperCase()}</code>
                <code class="break-all">{path}</code>
                <span class="text-quiet block text-sm sm:ml-2 sm:inline">{operation.summary}</span>
              {/snippet}
              <dl class="border-line space-y-3 border-t px-4 py-3">
                <div>
                  <dt class="text-quiet text-sm">{texts.docs.whoMayCall}</dt>
                  <dd>{whoMayCall(operation)}</dd>
                </div>
                {#if operation.parameters}
                  <div>
                    <dt class="text-quiet text-sm">{texts.docs.parameters}</dt>
                    {#each operation.parameters as parameter (parameter.name)}
                      <dd>
                        <code
                          >{parameter.name}{parameter.required ? "" : "?"}: {inWords(parameter.schema)}</code
                        >
                        <span class="text-quiet text-sm"
                          >{parameter.schema.description ?? ""} {texts.docs.in(parameter.in)}</span
                        >
                      </dd>
                    {/each}
                  </div>
                {/if}
                {#if operation.requestBody}
                  <div>
                    <dt class="text-quiet text-sm">
                      {texts.docs.body(Object.keys(operation.requestBody.content ?? {})[0] ?? "")}
                    </dt>
                    <dd><code class="break-words">{bodyOf(operation.requestBody)}</code></dd>
                  </div>
                {/if}
                <div>
                  <dt class="text-quiet text-sm">{texts.docs.replies}</dt>
                  {#each Object.entries(operation.responses) as [status, reply] (status)}
                    <dd>
                      <code class="font-semibold">{status}</code>
                      {#each problemsOf(reply) as code (code)}
                        <a class="mr-2" href={at(`/problems/${code}`)}><code>{code}</code></a>
                      {:else}
                        <code class="break-words">{bodyOf(reply) ?? reply.description}</code>
                      {/each}
                    </dd>
                  {/each}
                </div>
              </dl>
            </Disclosure>
          </div>
        {/each}
      {/each}
    </div>
    <h2 class="mt-10 text-lg font-semibold">{texts.docs.shapes}</h2>
    <dl class="mt-3 space-y-3">
      {#each Object.entries(description.components.schemas) as [name, schema] (name)}
        <div>
          <dt class="font-semibold">{name}</dt>
          <dd><code class="break-words">{inWords(schema)}</code></dd>
        </div>
      {/each}
    </dl>
  {/if}
</PersonFrame>
