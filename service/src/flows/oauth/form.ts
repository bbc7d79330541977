/** Reads the parameters of the standards' endpoints: unknown ones are ignored, doubled ones refused. */
import { OAuthRefusal } from "./refusal.ts";

/** One parameter; `undefined` if it is missing or empty (RFC 6749 section 3.1). @throws OAuthRefusal if it stands twice. */
export function parameter(parameters: URLSearchParams, name: string): string | undefined {
  const values = parameters.getAll(name);
  if (values.length > 1)
    throw new OAuthRefusal("invalid_request", `The parameter ${name} stands more than once.`);
  return values[0] === "" ? undefined : values[0];
}

/** @throws OAuthRefusal if it is missing. */
export function requiredParameter(parameters: URLSearchParams, name: string): string {
  const value = parameter(parameters, name);
  if (value === undefined) throw new OAuthRefusal("invalid_request", `The parameter ${name} is missing.`);
  return value;
}
