/** The map of an application's routes, as its hasp shows it in development. */
import { z } from "zod";

/** Where the hasp shows it. */
export const MAP_PATH = "/hasp-map";

const labelWish = z.union([
  z.string(),
  z.object({ any: z.array(z.string()).readonly() }),
  z.object({ all: z.array(z.string()).readonly() }),
]);

const mappedRoute = z.object({
  method: z.string(),
  path: z.string().describe("as the application declared it, with its parameters"),
  access: z
    .enum(["closed", "open", "undeclared", "own"])
    .describe("own: of the hasp itself; undeclared: nobody said whether it is open"),
  wanted: z
    .array(
      z.object({
        label: labelWish.optional(),
        level: z.number().optional(),
        freshWithin: z.number().optional(),
        accessKeys: z.boolean().optional(),
      }),
    )
    .describe("of a closed one, all of it"),
  isWhole: z
    .boolean()
    .describe("whether the path is all of it: a nested router of Express keeps its own to itself"),
  sample: z.string().describe("a path that the route matches"),
});
export type MappedRoute = z.output<typeof mappedRoute>;

/** What is shown. */
export const routeMap = z.object({ routes: z.array(mappedRoute) });

type Wanted = MappedRoute["wanted"][number];

/** What a closed route wants, in a few words: `keeper or cook; level 2; a proof of the last 300 s`. */
export function wantedInWords({ wanted }: Pick<MappedRoute, "wanted">): string {
  return wanted.flatMap(inWords).join("; ");
}

function inWords({ label, level, freshWithin, accessKeys }: Wanted): string[] {
  return [
    ...(label === undefined ? [] : [nameOf(label)]),
    ...(level === 2 ? ["level 2"] : []),
    ...(freshWithin === undefined ? [] : [`a proof of the last ${freshWithin} s`]),
    ...(accessKeys === false ? ["no access keys"] : []),
  ];
}

function nameOf(label: NonNullable<Wanted["label"]>): string {
  if (typeof label === "string") return label;
  return "any" in label ? label.any.join(" or ") : label.all.join(" and ");
}
