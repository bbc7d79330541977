/** The service, for tests and benchmarks that run it inside their own process. */
export { createMovableClock, systemClock } from "./clock/clock.ts";
export type { Clock, MovableClock } from "./clock/clock.ts";
export { ConfigurationError, loadConfiguration } from "./config/index.ts";
export type { Configuration } from "./config/index.ts";
export { createService } from "./service.ts";
export { sweepSessions } from "./session/store.ts";
export { createDataSource, ENTITIES, MIGRATIONS, schemaStatus } from "./storage/index.ts";
