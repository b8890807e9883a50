/**
 * Speed, as ratios on this machine in this run: our export against plain ffmpeg commands with the same filters and
 * settings, and waiting times against the limits that we set ourselves. Nothing here passes or fails.
 */
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { calibration } from './calibration.ts';
import { cutsSpeed } from './cuts.ts';
import { dataFlow } from './data-flow.ts';
import { exportRatio, movingRatio } from './exports.ts';
import { firstSight } from './first-sight.ts';
import { followingTable, lookingSpeed, solvingSpeed } from './following.ts';
import { interfaceTimes } from './interface.ts';
import { factsFor, film, longFilm, tall, timed, type Bench } from './kit.ts';
import { largeWorkspace } from './large.ts';
import { layersSpeed } from './layers.ts';
import { ledgerSpeed } from './ledger.ts';
import { machinesSpeed } from './machines.ts';
import { exportMemory } from './memory.ts';
import { plantedTable } from './planted.ts';
import { reviewSpeed } from './review.ts';
import { setRatio } from './sets.ts';
import { shotsSpeed } from './shots.ts';
import { takingIn } from './taking-in.ts';
import { troublesSpeed } from './troubles.ts';

/** A grainy film of eight seconds: as hard to code as a camera's. */
const short = (bench: Bench) => film(bench, 3, '-t', '8');

/** One part of the measurements. */
interface Part {
  /** It takes minutes, and is run where it is asked for by its name. */
  apart?: true;
  run: (bench: Bench) => Promise<void> | void;
}

/** Five versions of a short film. */
async function setOf(bench: Bench, moving: boolean): Promise<void> {
  const source = await short(bench);
  await setRatio({ ...bench, moving, source, facts: await factsFor(source), like: tall, timed });
}

/** In the order in which they are run. */
const parts: Readonly<Record<string, Part>> = {
  looking: {
    run: async ({ dir, say }) => {
      solvingSpeed(say);
      await lookingSpeed(dir, say, timed);
    },
  },
  troubles: {
    run: (bench) => {
      for (const everyNth of [1, 3]) troublesSpeed(bench, everyNth);
    },
  },
  shots: {
    run: async (bench) =>
      shotsSpeed(bench, await film(bench, 3, '-t', '10'), await film(bench, 0, '-t', '10')),
  },
  export: { run: async (bench) => exportRatio(bench, await short(bench)) },
  moving: { run: async (bench) => movingRatio(bench, await film(bench, 3, '-t', '4')) },
  cuts: {
    apart: true,
    run: async (bench) =>
      cutsSpeed(bench.dir, await longFilm(bench, await film(bench, 3, '-g', '50')), tall, bench.say),
  },
  memory: {
    apart: true,
    run: async (bench) => {
      const easy = await film(bench, 0);
      await exportMemory(bench, easy, await longFilm(bench, easy, 3));
    },
  },
  review: {
    apart: true,
    run: async (bench) => reviewSpeed({ ...bench, source: await film(bench, 3, '-t', '4') }),
  },
  interface: {
    run: async (bench) => {
      const easy = await film(bench, 0, '-crf', '30');
      await interfaceTimes(bench, await longFilm(bench, easy), await longFilm(bench, easy, 3));
    },
  },
  'taking-in': {
    apart: true,
    run: async (bench) => takingIn(bench, await longFilm(bench, await film(bench, 0, '-crf', '30'))),
  },
  ledger: { run: ({ dir, say }) => ledgerSpeed(dir, say) },
  data: { apart: true, run: ({ root, dir, say }) => dataFlow(root, dir, say) },
  'first-sight': { run: ({ dir, say }) => firstSight(dir, say) },
  following: { apart: true, run: ({ say }) => followingTable(say) },
  calibration: { apart: true, run: ({ dir, say }) => calibration(dir, say) },
  sets: { apart: true, run: (bench) => setOf(bench, false) },
  'moving-sets': { apart: true, run: (bench) => setOf(bench, true) },
  layers: {
    apart: true,
    run: async ({ dir, pairs, say }) => {
      const source = await film({ dir }, 3, '-t', '8');
      await layersSpeed(dir, source, await factsFor(source), tall, pairs, say);
    },
  },
  large: { apart: true, run: largeWorkspace },
  machines: { apart: true, run: async (bench) => machinesSpeed({ ...bench, source: await film(bench, 3) }) },
  check: { apart: true, run: ({ dir, say }) => plantedTable(dir, say) },
};

const { values } = parseArgs({
  options: { pairs: { type: 'string', default: '1' }, only: { type: 'string' } },
});
const say = (line: string) => process.stdout.write(`${line}\n`);
const only = values.only === undefined ? undefined : parts[values.only];
if (values.only !== undefined && !only) {
  say(`There is no part “${values.only}”. There are: ${Object.keys(parts).join(', ')}.`);
  process.exit(2);
}
const bench: Bench = {
  dir: await mkdtemp(join(tmpdir(), 'mivvy bench ')),
  root: fileURLToPath(new URL('../..', import.meta.url)),
  pairs: Math.max(1, Number(values.pairs)),
  say,
};
try {
  for (const [name, part] of Object.entries(parts)) {
    if (only ? part !== only : part.apart) continue;
    const took = await timed(async () => part.run(bench));
    say(`  (${name} took ${took.toFixed(0)} s)`);
  }
} finally {
  await rm(bench.dir, { recursive: true, force: true });
}
const apart = Object.keys(parts).filter((name) => parts[name]!.apart);
if (!only) say(`Not measured, for they take minutes each: ${apart.join(', ')}; ./mivvy bench --only NAME.`);
