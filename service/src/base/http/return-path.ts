/** Where a person wanted to go: kept only if it is a path of this service. */
import { ownPathOr } from "@lucchetto/contract";
import { basePathOf } from "./address.ts";

/** @returns `null` for everything that leads elsewhere. */
export function ownPathOf(publicUrl: string, path: string | undefined): string | null {
  const own = ownPathOr("", path ?? null, basePathOf(publicUrl));
  return own === "" ? null : own;
}
