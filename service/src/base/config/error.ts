/** What is said when the configuration cannot be used. */

/** The configuration cannot be used. `faults` holds one line for each thing that is wrong. */
export class ConfigurationError extends Error {
  override readonly name = "ConfigurationError";
  readonly faults: readonly string[];
  constructor(source: string, faults: readonly string[]) {
    super(
      `The configuration (${source}) cannot be used:\n${faults.map((fault) => `  - ${fault}`).join("\n")}`,
    );
    this.faults = faults;
  }
}
