/** What is counted, in Prometheus' text format. */
import type { FastifyInstance } from "fastify";
import { collectDefaultMetrics, Counter, Gauge as PrometheusGauge, Histogram, Registry } from "prom-client";
import type { ServiceContext } from "../../records/context.ts";
import type { Gauge } from "../capability/capability.ts";

/** Seconds; a password check lies around a quarter. */
const DURATION_BUCKETS = [0.002, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5];

/** An answer, to be counted under its route's pattern: never the address, which may hold an id. */
interface Answered {
  readonly method: string;
  readonly route: string;
  readonly status: number;
  readonly seconds: number;
}

interface Metrics {
  readonly registry: Registry;
  /** Counts a session check that was answered the shortest way; costs next to nothing. */
  checked(seconds: number): void;
}

let processRegistry: Registry | null = null;

/** Memory, processor time and the like: of the whole process, so measured once in it, however many services it runs. */
function ofProcess(): Registry {
  if (processRegistry === null) {
    processRegistry = new Registry();
    collectDefaultMetrics({ register: processRegistry });
  }
  return processRegistry;
}

/** Counts every request of the service, and shows the figures of its capabilities. */
export function collectMetrics(
  app: FastifyInstance,
  context: ServiceContext,
  figures: readonly Gauge[],
): Metrics {
  const registry = Registry.merge([ofProcess()]);
  for (const figure of figures) showFigure(registry, context, figure);
  const waits = new Histogram({
    name: "lucchetto_password_hash_wait_seconds",
    help: "Time that a password hash waited in the queue before it began",
    buckets: DURATION_BUCKETS,
    registers: [registry],
  });
  context.hashing.onWaited((seconds) => waits.observe(seconds));
  const durations = new Histogram({
    name: "lucchetto_http_request_seconds",
    help: "Time to answer, by method, route and status",
    labelNames: ["method", "route", "status"],
    buckets: DURATION_BUCKETS,
    registers: [registry],
  });
  // Labels are looked up once for each of the few combinations there are.
  const children = new Map<string, ReturnType<typeof durations.labels>>();
  const observe = ({ method, route, status, seconds }: Answered): void => {
    const name = `${method} ${route} ${status}`;
    let child = children.get(name);
    if (child === undefined) {
      child = durations.labels({ method, route, status: String(status) });
      children.set(name, child);
    }
    child.observe(seconds);
  };
  app.addHook("onResponse", ({ method, routeOptions }, reply, done) => {
    const route = routeOptions.url ?? "none";
    observe({ method, route, status: reply.statusCode, seconds: reply.elapsedTime / 1_000 });
    done();
  });
  const checks = { count: 0, seconds: 0 };
  /** Added to the counter only when somebody looks. */
  const countLater = (name: string, help: string, what: keyof typeof checks) =>
    new Counter({
      name,
      help,
      registers: [registry],
      collect() {
        this.inc(checks[what]);
        checks[what] = 0;
      },
    });
  countLater(
    "lucchetto_session_checks_total",
    "Session checks answered the shortest way; they are not among the http requests",
    "count",
  );
  countLater("lucchetto_session_check_seconds_total", "Seconds that those took, together", "seconds");
  return {
    registry,
    checked(seconds) {
      checks.count += 1;
      checks.seconds += seconds;
    },
  };
}

/** Read when somebody looks. */
function showFigure(registry: Registry, context: ServiceContext, { name, help, label, read }: Gauge): void {
  new PrometheusGauge({
    name,
    help,
    labelNames: label === undefined ? [] : [label],
    registers: [registry],
    async collect() {
      for (const [value, number] of Object.entries(await read(context))) {
        if (label === undefined) this.set(number);
        else this.set({ [label]: value }, number);
      }
    },
  });
}
