import type { ChildProcess } from 'node:child_process';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import { redisThere, startMachine, startRedis } from '../testing/own-redis.ts';
import { endServer, startServer, type OwnServer } from '../testing/own-server.ts';
import { asker } from './kit.ts';

/** Exports of one run. */
const asked = 12;

interface Machines {
  dir: string;
  /** A film of some seconds. */
  source: string;
  say: (words: string) => void;
}

/** Two machines of one core each against one, and the distributed queue against the embedded one. */
export async function machinesSpeed({ dir, source, say }: Machines): Promise<void> {
  if (!redisThere) return say('render machines: redis-server is not installed');
  const redis = await startRedis(dir);
  try {
    const one = await run({ dir, source, queue: redis.url, machines: [0] });
    const two = await run({ dir, source, queue: redis.url, machines: [0, 1] });
    say(
      `two machines of one core ÷ one, ${asked} held exports     ${(one / two).toFixed(2)} × as fast (at least 1.80)`,
    );
    const embedded = await run({ dir, source, machines: [] });
    const handed = await run({ dir, source, queue: redis.url, machines: [] });
    say(
      `the distributed queue ÷ the embedded one, one machine  ${(handed / embedded).toFixed(3)} (at most 1.050)`,
    );
  } finally {
    await endServer(redis.child);
  }
}

interface Run {
  dir: string;
  source: string;
  queue?: string;
  /** The core of each; with none the server makes them. */
  machines: readonly number[];
}

/** Seconds from asking for the exports until all of them are made. */
async function run({ dir, source, queue, machines }: Run): Promise<number> {
  const data = join(dir, 'machines data');
  await mkdir(join(data, 'inbox'), { recursive: true });
  const cut = ['-t', '8', '-c', 'copy', join(data, 'inbox', 'film.mp4')];
  await execa('ffmpeg', ['-v', 'error', '-y', '-i', source, ...cut]);
  const server = await startServer(data, {
    MIVVY_REVIEW_PORT: '0',
    MIVVY_LOOKING: 'when-asked',
    MIVVY_EXPORTS: machines.length ? '0' : '1',
    ...(queue === undefined ? {} : { MIVVY_QUEUE: queue }),
  });
  const helping: ChildProcess[] = machines.map((core) =>
    startMachine(
      { server: server.base, queue: queue!, cache: join(dir, `films of ${core}`), name: `Core ${core}` },
      ['taskset', '-c', `${core}`],
    ),
  );
  try {
    return await timedRun(server, machines.length);
  } finally {
    for (const machine of helping) await endServer(machine, 'SIGTERM');
    await endServer(server.child, 'SIGTERM');
    for (const left of [data, ...machines.map((core) => join(dir, `films of ${core}`))])
      await rm(left, { recursive: true, force: true });
  }
}

async function timedRun({ base }: OwnServer, machines: number): Promise<number> {
  const ask = asker(base);
  const until = async (done: () => Promise<boolean>) => {
    while (!(await done())) await new Promise((resolve) => setTimeout(resolve, 200));
  };
  await ask('POST', '/spec-book/files', { fileName: 'bench.specbook.json', text: JSON.stringify(book) });
  const { id } = await ask<{ id: string }>('POST', '/productions', { name: 'Bench', client: '' });
  const [film] = await ask<{ path: string }[]>('GET', '/inbox');
  const master = await ask<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const jobs = () => ask<{ kind: string; state: string }[]>('GET', `/productions/${id}/jobs`);
  await until(async () => (await jobs()).every((job) => job.state === 'done'));
  const versions = await ask<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: book.outlets[0]!.placements.map((placement) => placement.id),
  });
  await until(
    async () =>
      (await ask<{ machines: { there: boolean }[] }>('GET', '/machines')).machines.filter((m) => m.there)
        .length === machines,
  );
  const began = performance.now();
  await ask('POST', `/productions/${id}/exports`, { versionIds: versions.map((version) => version.id) });
  await until(async () => {
    const all = (await jobs()).filter((job) => job.kind === 'export');
    if (all.some((job) => job.state === 'failed')) throw new Error('an export failed');
    return all.every((job) => job.state === 'done');
  });
  return (performance.now() - began) / 1000;
}

const book = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'bench',
      name: 'Bench',
      placements: Array.from({ length: asked }, (_, i) => ({
        id: `bench-${i}`,
        name: `Place ${i}`,
        frame: { width: 540, height: 900 + 10 * i },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 1500, maxKbps: 2000 } },
        audio: {
          codec: 'aac',
          kbps: 128,
          sampleRate: 48000,
          channels: 2,
          loudness: { integratedLufs: -14, truePeakDbtp: -1 },
        },
      })),
    },
  ],
};
