/** Errors whose message is written for the person who started a task; by name, since most are not loaded. */
const EXPECTED = new Set([
  "ConfigurationError",
  "DatabaseUnavailable",
  "SchemaMismatch",
  "OperatorRefusal",
  "KeyRefusal",
  "KeyRingError",
  "SetupRefusal",
  "PortTaken",
  "SourceError",
  "PlanError",
  "IntakeRefusal",
  "ExportRefusal",
]);

export function isExpected(error: unknown): error is Error {
  return error instanceof Error && EXPECTED.has(error.name);
}
