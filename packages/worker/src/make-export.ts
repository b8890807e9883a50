import { mkdir, readFile, rm, statfs } from 'node:fs/promises';
import { dirname, extname, join } from 'node:path';
import { bytesLabel, planSeconds } from '@mivvy/core';
import { deliver, deliverStages, sha256File, type DecodedFilms, type SoundShelf } from '@mivvy/media';
import type { ExportOrderForMachine, Lying, MachineEnd } from '@mivvy/api';
import { fileFor, type Doing } from './doing.ts';
import type { Cached } from './film-cache.ts';
import type { ServerClient } from './server-client.ts';

/** Room that making a file needs beyond the film, bytes: its passes, its sound, and some to spare. */
const spareBytes = 300_000_000;
/** The end of what tools said is sent, characters. */
const mostLog = 100_000;

/** What tools said, as the server is told it: without where things lie here. */
export const toldLog = (log: string, folder: string): string => log.slice(-mostLog).replaceAll(folder, '…');

/** This machine has no room for a job that another may have. */
export class NoRoom extends Error {}

/** What exports that are made one after the other share. */
export interface Making extends Doing {
  sounds: SoundShelf;
  films: DecodedFilms;
}

/** Makes what an order asks for and brings it to the server: how it ended, in the server's terms. Throws `Cancelled`. */
export async function makeExport(order: ExportOrderForMachine, making: Making): Promise<MachineEnd> {
  const { folder } = making;
  const logFile = join(folder, 'log');
  await rm(folder, { recursive: true, force: true });
  await mkdir(folder, { recursive: true });
  const inUse: Cached[] = [];
  try {
    await needRoom(order, folder);
    const ending = await made(order, making, inUse, logFile);
    const log = await readFile(logFile, 'utf8').catch(() => '');
    return { ending, log: toldLog(log, dirname(folder)) };
  } finally {
    for (const file of inUse) file.letGo();
    await rm(folder, { recursive: true, force: true });
  }
}

async function made(
  order: ExportOrderForMachine,
  making: Making,
  inUse: Cached[],
  logFile: string,
): Promise<MachineEnd['ending']> {
  const { plan, film, graphics } = order;
  const { server, sounds, films, folder, signal, progress } = making;
  const tell = (stage: string, fraction: number) => progress({ stage, fraction, etaSeconds: null, speed: 0 });
  const here = async (what: Lying) => {
    const file = await fileFor(making, what);
    inUse.push(file);
    return file.path;
  };
  tell('fetching the film', 0);
  const masterPath = await here(film);
  const pictures = new Map<string, string>();
  for (const graphic of graphics) pictures.set(graphic.sha256, await here(graphic));
  const result = await deliver(plan, {
    masterPath,
    outPath: join(folder, 'out', `film.${plan.container}`),
    sounds,
    decoded: { films, wanted: () => order.more },
    workDir: join(folder, 'making'),
    placement: order.placement,
    effort: order.effort,
    logFile,
    signal,
    nice: true,
    graphicPath: ({ sha256 }) => pictures.get(sha256)!,
    onProgress: ({ stage, ...rest }) => progress({ stage: deliverStages[stage], ...rest }),
  });
  if (!result.ok) {
    if (result.problem.code === 'disk-full') throw new NoRoom(result.problem.sentence);
    return { state: 'failed', problem: result.problem };
  }
  tell('bringing it back', 0.99);
  const { path, bytes, sha256, cover, report } = result.value;
  return {
    state: 'done',
    film: { upload: await server.bring(order.jobId, path, bytes, signal), bytes, sha256 },
    cover: cover === undefined ? null : await bringCover(server, order, cover, signal),
    report,
  };
}

async function bringCover(
  server: ServerClient,
  { jobId }: ExportOrderForMachine,
  path: string,
  signal: AbortSignal,
) {
  const bytes = (await readFile(path)).length;
  const ending = extname(path) === '.png' ? ('png' as const) : ('jpg' as const);
  return {
    upload: await server.bring(jobId, path, bytes, signal),
    bytes,
    sha256: await sha256File(path, signal),
    ending,
  };
}

/** Throws {@link NoRoom} where the disk has less free than this job will need. */
async function needRoom({ plan, film }: ExportOrderForMachine, folder: string): Promise<void> {
  const { rate } = plan.video;
  const kbps = rate.mode === 'two-pass' ? rate.targetKbps : (rate.maxKbps ?? 8000);
  const needed = film.bytes + (2 * planSeconds(plan) * kbps * 1000) / 8 + spareBytes;
  const disk = await statfs(folder);
  const free = disk.bavail * disk.bsize;
  if (free < needed)
    throw new NoRoom(`The disk has ${bytesLabel(free)} free and this export may need ${bytesLabel(needed)}.`);
}
