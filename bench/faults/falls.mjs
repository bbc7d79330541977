/** Whoever is sent something falls in three ways under load: it hangs, refuses everything, and dies in the middle. */
import { performance } from "node:perf_hooks";
import { setTimeout as pause } from "node:timers/promises";
import { inWords, longestOf } from "./load.mjs";

/** Milliseconds within which everything that waits has been tried again. */
const MAX_WAIT_MILLISECONDS = 300_000;

/** Plays them one after the other, and ends the load. @param set lets it fall so, or be `well`. */
export async function playFalls(load, { seconds, set }) {
  await pause(5_000);
  const falls = [];
  for (const mode of ["hang", "refuse", "cut"]) {
    set(mode);
    const began = performance.now();
    await pause(seconds * 1_000);
    set("well");
    falls.push({ mode, answers: load.answers.filter((one) => one.began >= began) });
    await pause(3_000);
  }
  await load.end();
  return falls;
}

/** Waits until nothing waits in a table any more. @returns how many rows there are of each state, and after how many seconds. */
export async function waitForAll(database, table) {
  const began = performance.now();
  for (;;) {
    const [rows] = await database.query(`SELECT state, COUNT(*) AS n FROM ${table} GROUP BY state`);
    const counts = new Map(rows.map(({ state, n }) => [state, Number(n)]));
    const took = performance.now() - began;
    if (!counts.has("waiting") || took > MAX_WAIT_MILLISECONDS) return { counts, after: took / 1_000 };
    await pause(500);
  }
}

/** What is judged of it. @param arrived how many different ones arrived, which are all. */
export function judged(falls, { counts, after }, arrived) {
  const all = [...counts.values()].reduce((sum, count) => sum + count, 0);
  const lost = (counts.get("waiting") ?? 0) + (counts.get("given-up") ?? 0);
  return [
    ...falls.map(({ mode, answers }) => ({
      wanted: `${mode}: nobody waits`,
      came: `${inWords(answers)}, the longest ${longestOf(answers).toFixed(0)} ms`,
      holds: answers.every(({ status }) => status > 0 && status < 500) && longestOf(answers) < 3_000,
    })),
    {
      wanted: "everything arrives, and nothing is given up",
      came: `${[...counts].map(([state, count]) => `${count} ${state}`).join(", ")}; ${arrived} arrived`,
      holds: all > 0 && lost === 0 && arrived === all,
    },
    {
      wanted: "soon after it is well (the next try is at most 2 min away)",
      came: `${after.toFixed(0)} s`,
      holds: after <= 150,
    },
  ];
}
