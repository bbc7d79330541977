/** What a failed statement tells of itself, without the values that it was given: records, tokens, people's addresses. */

/** Members in which drivers and the mapper keep them. */
const VALUES = ["parameters", "sql"];

/**
 * Takes them out of an error and what caused it, for logs and terminals.
 * @returns the same error.
 */
export function withoutValues(error: unknown): unknown {
  for (let one = error; typeof one === "object" && one !== null; one = causeOf(one))
    for (const name of VALUES) if (name in one) Reflect.deleteProperty(one, name);
  return error;
}

function causeOf(error: object): unknown {
  const { driverError, cause } = error as { driverError?: unknown; cause?: unknown };
  return driverError ?? cause;
}
