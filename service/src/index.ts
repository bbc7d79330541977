/** The service, for tests and benchmarks that run it inside their own process. */
export { createMovableClock, systemClock } from "./base/clock/clock.ts";
export type { Clock, MovableClock } from "./base/clock/clock.ts";
export { ConfigurationError, loadConfiguration } from "./base/config/index.ts";
export type { Configuration } from "./base/config/index.ts";
export { createService } from "./start/service.ts";
export { sweepSessions } from "./records/session/store.ts";
export { createDataSource, ENTITIES, MIGRATIONS, schemaStatus } from "./base/storage/index.ts";
