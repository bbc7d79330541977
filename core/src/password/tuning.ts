/**
 * Choosing a scheme's cost by measuring: candidates that differ in memory are each brought near the time that people may
 * be kept waiting, and compared by what a guess costs an attacker. The measuring itself is the caller's.
 */
import type { Algorithm, Parameters } from "./algorithms/index.ts";
import type { Scheme } from "./scheme.ts";
import { floorsMissedBy, makeScheme } from "./scheme.ts";

/** What is wanted of a scheme. */
export interface TuningWish {
  readonly algorithm: Algorithm;
  /** Milliseconds that one hash may take. */
  readonly targetMilliseconds: number;
  /** Bytes of memory that one hash may hold. */
  readonly memoryBytes: number;
  /** The scheme in use, measured beside the candidates. */
  readonly present: Scheme;
}

/** How long hashes of a scheme took, and how many a second the machine does. */
export interface Measurement {
  /** Milliseconds of each. */
  readonly times: readonly number[];
  readonly perSecond: number;
}

/** Measures a scheme by hashing so many times. */
export type Measure = (scheme: Scheme, hashes: number) => Promise<Measurement>;

/** One line of the table. */
export interface TuningRow {
  readonly scheme: string;
  readonly memoryBytes: number;
  /** Milliseconds. */
  readonly median: number;
  readonly p95: number;
  readonly perSecond: number;
  /** What a guess costs an attacker, against the present scheme: memory held, times the time it is held. */
  readonly attackerCost: number;
  readonly present: boolean;
  /** Cheaper than production accepts. */
  readonly belowFloor: boolean;
  /** No slower than wanted, give or take a tenth. */
  readonly withinTarget: boolean;
  /**
   * The one to use: of those within the target and not below the floor, the costliest for an attacker. Where this machine
   * is too slow for any of them, the quickest that is not below the floor.
   */
  readonly recommended: boolean;
}

/** Hashes to find out how dear a candidate's smallest setting is, and to measure its final one. */
const SOUNDING_HASHES = 3;
const MEASURED_HASHES = 9;
/** A candidate may take this much longer than wanted. */
const TOLERANCE = 1.1;
/** Even a scheme without memory needs a computing core; counted as so many bytes. */
const CORE_BYTES = 2 ** 20;

/** How the time of an algorithm is set once its memory is chosen. */
interface Family {
  readonly base: Parameters;
  /** The parameter that the time is proportional to. */
  readonly knob: string;
  /** The knob is a multiple of this. */
  readonly step: number;
}

/** How many steps `tune` takes, for progress: soundings and measurements. */
export function tuningSteps(wish: TuningWish): number {
  return 1 + floorsOf(wish).length + 2 * familiesOf(wish).length;
}

/**
 * Measures and compares.
 * @param progress called after each step with how many are done.
 * @returns rows by what they cost an attacker, cheapest first; the present scheme among them.
 */
export async function tune(
  wish: TuningWish,
  measure: Measure,
  progress: (done: number) => void = () => undefined,
): Promise<TuningRow[]> {
  let done = 0;
  const step = (): void => progress((done += 1));
  const measured = new Map<string, { scheme: Scheme; measurement: Measurement }>();
  const take = async (scheme: Scheme): Promise<void> => {
    if (!measured.has(scheme.text))
      measured.set(scheme.text, { scheme, measurement: await measure(scheme, MEASURED_HASHES) });
    step();
  };
  await take(wish.present);
  for (const floor of floorsOf(wish)) await take(makeScheme(wish.algorithm, floor, null));
  for (const family of familiesOf(wish)) {
    const sounding = await measure(makeScheme(wish.algorithm, family.base, null), SOUNDING_HASHES);
    step();
    const parameters = fitKnob(family, median(sounding.times), wish.targetMilliseconds);
    await take(makeScheme(wish.algorithm, parameters, null));
  }
  return compare([...measured.values()], wish);
}

/** Settings that differ in memory, each with its smallest time. */
function familiesOf({ algorithm, memoryBytes }: TuningWish): Family[] {
  const within = ({ base }: Family): boolean => algorithm.memoryBytes(base) <= memoryBytes * MEMORY_ROUNDING;
  switch (algorithm.id) {
    case "scrypt":
      return [14, 15, 16, 17].map((ln) => ({ base: { ln, r: 8, p: 1 }, knob: "p", step: 1 })).filter(within);
    case "argon2id":
      return [19_456, 32_768, 47_104, 65_536, 131_072]
        .map((m) => ({ base: { m, t: 1, p: 1 }, knob: "t", step: 1 }))
        .filter(within);
    default:
      return [{ base: { i: 20_000 }, knob: "i", step: 10_000 }];
  }
}

/** The least that production accepts is always measured, so that one sees what it would take. */
function floorsOf({ algorithm, memoryBytes }: TuningWish): readonly Parameters[] {
  return algorithm.floors.filter((floor) => algorithm.memoryBytes(floor) <= memoryBytes * MEMORY_ROUNDING);
}

/** scrypt holds a few blocks beyond its round figure: 16 MiB means 16 MiB and 2 KiB. */
const MEMORY_ROUNDING = 1.01;

/** The setting of a family that comes nearest to the wanted time. */
function fitKnob({ base, knob, step }: Family, milliseconds: number, target: number): Parameters {
  const times = target / Math.max(milliseconds, 0.001);
  const fitting = Math.round(((base[knob] ?? 1) * times) / step) * step;
  return { ...base, [knob]: Math.max(base[knob] ?? 1, fitting) };
}

function compare(
  all: ReadonlyArray<{ scheme: Scheme; measurement: Measurement }>,
  { present, targetMilliseconds }: TuningWish,
): TuningRow[] {
  const costOf = ({ scheme, measurement }: (typeof all)[number]): number =>
    median(measurement.times) * (scheme.algorithm.memoryBytes(scheme.parameters) + CORE_BYTES);
  const presentOne = all.find(({ scheme }) => scheme.text === present.text);
  const unit = presentOne === undefined ? 1 : costOf(presentOne);
  const rows = all.map((one) => ({
    scheme: one.scheme.text,
    memoryBytes: one.scheme.algorithm.memoryBytes(one.scheme.parameters),
    median: median(one.measurement.times),
    p95: quantile(one.measurement.times, 0.95),
    perSecond: one.measurement.perSecond,
    attackerCost: costOf(one) / unit,
    present: one.scheme.text === present.text,
    belowFloor: floorsMissedBy(one.scheme) !== null,
    withinTarget: median(one.measurement.times) <= targetMilliseconds * TOLERANCE,
  }));
  rows.sort((left, right) => left.attackerCost - right.attackerCost);
  const allowed = rows.filter(({ belowFloor }) => !belowFloor);
  const best = allowed.filter(({ withinTarget }) => withinTarget).at(-1) ?? quickestOf(allowed);
  return rows.map((row) => ({ ...row, recommended: row === best }));
}

function quickestOf<Row extends { readonly median: number }>(rows: readonly Row[]): Row | undefined {
  const [first] = [...rows].sort((left, right) => left.median - right.median);
  return first;
}

function median(times: readonly number[]): number {
  return quantile(times, 0.5);
}

function quantile(times: readonly number[], share: number): number {
  const sorted = [...times].sort((left, right) => left - right);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;
}
