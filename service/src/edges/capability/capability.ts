/**
 * What a capability is to the service: one value that its folder exports. `service.ts` lists them and joins what they bring;
 * it knows none of them by name.
 */
import type { FastifyBaseLogger, FastifyPluginAsync } from "fastify";
import type { Registry } from "prom-client";
import type { DataSource } from "typeorm";
import type { Background } from "../../base/background-work.ts";
import type { Clock, MovableClock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import type { Drain } from "../../base/http/drain.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { PageShell } from "./shell.ts";

/** What routes are made of. */
export interface Parts {
  readonly context: ServiceContext;
  /** The one HTML page that all pages are. */
  readonly shell: PageShell;
  readonly clock: Clock | MovableClock;
  /** Everything that is counted. */
  readonly metrics: Registry;
  readonly drain: Drain;
}

/** Rows that go by themselves, a batch at a time, along an index. */
export interface Sweep {
  /** What goes, as `docs/configuration.md` has it. */
  readonly what: string;
  /** Milliseconds that it is kept. */
  keepFor(configuration: Configuration): number;
  /** Removes what is older. */
  run(dataSource: DataSource, before: Date, context: ServiceContext): Promise<unknown>;
}

/** A number that is read when somebody looks. */
export interface Gauge {
  readonly name: string;
  readonly help: string;
  /** By the value of `label`; without a label under the empty text. */
  read(context: ServiceContext): Readonly<Record<string, number>> | Promise<Readonly<Record<string, number>>>;
  readonly label?: string;
}

export interface Capability {
  routes?(parts: Parts): FastifyPluginAsync;
  readonly sweeps?: readonly Sweep[];
  background?(context: ServiceContext, logger: FastifyBaseLogger): Background;
  readonly gauges?: readonly Gauge[];
}
