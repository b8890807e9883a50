import { mkdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Cancelled, prepareFilm, sha256File, type PreparedPart } from '@mivvy/media';
import type { Brought, MachineEnd, MachinePart, PrepareOrderForMachine } from '@mivvy/api';
import { fileFor, type Doing } from './doing.ts';
import { NoRoom, toldLog } from './make-export.ts';

/** Prepares a film, bringing each part to the server as it comes: how it ended, in the server's terms. Throws `Cancelled`. */
export async function prepare(order: PrepareOrderForMachine, doing: Doing): Promise<MachineEnd> {
  const { folder, server, signal, progress } = doing;
  const tell = (stage: string, fraction: number) => progress({ stage, fraction, etaSeconds: null, speed: 0 });
  const logFile = join(folder, 'log');
  await rm(folder, { recursive: true, force: true });
  await mkdir(folder, { recursive: true });
  tell('fetching the film', 0);
  const { path, letGo } = await fileFor(doing, order.film);
  try {
    const { film, ...what } = order;
    const result = await prepareFilm(
      path,
      { ...what, sha256: film.sha256 },
      {
        stillPath: (frame) => join(folder, `${frame}.jpg`),
        proxyPath: join(folder, 'proxy.mp4'),
        take: async (part) => {
          const { counted } = await server.part(order.jobId, await brought(part, order, doing));
          // The server has no use for what else would come.
          if (!counted) throw new Cancelled();
        },
        progress: tell,
        signal,
        logFile,
      },
    );
    if (!result.ok && result.problem.code === 'disk-full') throw new NoRoom(result.problem.sentence);
    const ending: MachineEnd['ending'] = result.ok
      ? { state: 'prepared' }
      : { state: 'failed', problem: result.problem };
    return { ending, log: toldLog(await readFile(logFile, 'utf8').catch(() => ''), dirname(folder)) };
  } finally {
    letGo();
    await rm(folder, { recursive: true, force: true });
  }
}

/** Brings the files of a part, and says of it what the server is told. */
async function brought(
  part: PreparedPart,
  { jobId }: PrepareOrderForMachine,
  { folder, server, signal }: Doing,
): Promise<MachinePart> {
  const bring = async (path: string): Promise<Brought> => {
    const { size } = await stat(path);
    const upload = await server.bring(jobId, path, size, signal);
    return { upload, bytes: size, sha256: await sha256File(path, signal) };
  };
  switch (part.part) {
    case 'shots': {
      if (!part.found) return { part: 'shots', found: null };
      const { shots, looks } = part.found;
      const file = join(folder, 'looks');
      await writeFile(file, looks.data);
      return { part: 'shots', found: { shots, every: looks.every, looks: await bring(file) } };
    }
    case 'loudness':
      return part;
    case 'still':
      return { part: 'still', frame: part.frame, still: await bring(part.path) };
    case 'proxy':
      return { part: 'proxy', proxy: part.path === null ? null : await bring(part.path) };
  }
}
