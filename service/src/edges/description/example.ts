/** Examples for the description: made from the schemas, with values as Brina Huts has them where a member's name is known. */
type Json = Record<string, unknown>;

/** A UUIDv7 that nobody has. */
export const EXAMPLE_ID = "0198f0c2-7a4e-7b1c-9d2e-5f60718293a4";
const TIME = "2026-07-01T06:30:00.000Z";

/** By a member's name, where its kind alone would say little. */
const BY_NAME: Readonly<Record<string, unknown>> = {
  email: "anna.larice@brina.example",
  to: "anna.larice@brina.example",
  username: "anna",
  identifier: "anna.larice@brina.example",
  displayName: "Anna Larice",
  name: "Anna Larice",
  password: "five huts above the lake",
  labels: ["keeper"],
  amr: ["pwd"],
  network: "192.0.2.10",
  userAgent: "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
  clientId: "brina-huts",
  client_id: "brina-huts",
  redirectUris: ["https://huts.brina.example/signed-in"],
  scheme: "$scrypt$ln=15,r=8,p=3",
  code: "492039",
  iss: "https://accounts.brina.example",
  issuer: "https://accounts.brina.example",
  open: "/",
  closed: "/members",
  closedApi: "/api/my-nights",
  closedLevel2: "/key-box",
};

const BY_FORMAT: Readonly<Record<string, string>> = {
  uuid: EXAMPLE_ID,
  "date-time": TIME,
  date: "2026-07-01",
  email: "anna.larice@brina.example",
  base64: "bG9naW47bWFpbDtwdwo=",
  uri: "https://huts.brina.example/signed-in",
  ipv4: "192.0.2.10",
  ipv6: "2001:db8::7",
};

/** Adds an example to everything that is sent or answered as JSON and has none. */
export function addExamples<Document extends { paths?: unknown; components?: unknown }>(
  document: Document,
): Document {
  const { schemas = {} } = (document.components ?? {}) as { schemas?: Record<string, Json> };
  for (const item of Object.values(document.paths ?? {}))
    for (const operation of Object.values(item as Json) as Json[])
      for (const media of mediaOf(operation))
        if (!("example" in media) && !("examples" in media))
          media["example"] = exampleOf(media["schema"] as Json, schemas);
  return document;
}

function mediaOf({ requestBody, responses }: Json): Json[] {
  const holders = [requestBody, ...Object.values((responses ?? {}) as Json)] as Array<
    { content?: Record<string, Json> } | undefined
  >;
  return holders.flatMap((holder) => Object.values(holder?.content ?? {}));
}

/** A value that fits a schema of JSON Schema 2020-12, as the contract's schemas use it. */
function exampleOf(schema: Json, schemas: Record<string, Json>, name = ""): unknown {
  const { $ref, const: only, enum: values, anyOf, oneOf, allOf } = schema;
  if (typeof $ref === "string") return exampleOf(schemas[$ref.split("/").at(-1) ?? ""] ?? {}, schemas, name);
  if (only !== undefined) return only;
  if (Array.isArray(values)) return values[0];
  const choices = (anyOf ?? oneOf) as Json[] | undefined;
  if (choices !== undefined)
    return exampleOf(choices.find(({ type }) => type !== "null") ?? {}, schemas, name);
  if (Array.isArray(allOf))
    return Object.assign({}, ...(allOf as Json[]).map((part) => exampleOf(part, schemas, name))) as Json;
  const [type] = [schema["type"]].flat().filter((one) => one !== "null");
  switch (type) {
    case "object":
      return exampleOfObject(schema, schemas);
    case "array":
      return BY_NAME[name] ?? [exampleOf((schema["items"] ?? {}) as Json, schemas)];
    case "string":
      return exampleOfText(schema, name);
    case "integer":
    case "number":
      return Math.max(1, Number(schema["minimum"] ?? 1));
    case "boolean":
      return true;
    default:
      return null;
  }
}

function exampleOfObject({ properties = {} }: Json, schemas: Record<string, Json>): Json {
  const members = Object.entries(properties as Record<string, Json>);
  return Object.fromEntries(members.map(([name, member]) => [name, exampleOf(member, schemas, name)]));
}

function exampleOfText({ format, pattern, maxLength }: Json, name: string): string {
  const known = BY_NAME[name];
  const fits = (text: string) =>
    (typeof maxLength !== "number" || text.length <= maxLength) &&
    (typeof pattern !== "string" || new RegExp(pattern).test(text));
  if (typeof format === "string") return BY_FORMAT[format] ?? name;
  if (typeof known === "string" && fits(known)) return known;
  return name === "" ? "text" : name;
}
