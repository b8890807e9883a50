import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdir, mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { execa } from 'execa';
import type { Deliverable, Job, Machines } from '@mivvy/api';
import {
  detailOf,
  faultsOf,
  processesOn,
  startProcess,
  startWorker,
  type ServerProcess,
  type WorkerProcess,
} from '../testing/process.ts';
import { namespacesThere, OwnNetwork } from '../testing/namespaces.ts';
import { randomFrom, seed } from '../testing/random.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { bookOf, smallFilm, until } from '../testing/server.ts';

// Three render machines, each in a network of its own where such may be made and otherwise as three processes, and
// whatever can happen to them, to the queue and to the server at random
// moments of a run; the clocks of two of them are an hour off. Afterwards each deliverable is there once, whole and passed, and no job is lost.

const exportsAsked = Number(process.env.MIVVY_FAULT_EXPORTS ?? 30);
const places = 10;
/** Disk of a machine that has one of its own. */
const diskBytes = 420_000_000;
const names = ['Attic', 'Cellar', 'Shed'] as const;
/** How far each one's clock stands ahead of the server's, milliseconds. */
const clocks: Readonly<Record<Name, number>> = { Attic: 0, Cellar: 3600_000, Shed: -3600_000 };
type Name = (typeof names)[number];

if (redisThere && !namespacesThere)
  process.stderr.write(
    'Networks of our own may not be made here, so the three render machines are three processes on one.\n',
  );

const random = randomFrom(seed);
const pick = <T>(of: readonly T[]): T => of[Math.floor(random() * of.length)]!;

(redisThere ? describe : describe.skip)('three render machines', () => {
  let dataDir: string;
  let folder: string;
  let redis: OwnRedis;
  let server: ServerProcess;
  const workers = new Map<Name, WorkerProcess>();
  const networks = new Map<Name, OwnNetwork>();
  const startServer = async (port = '0') => {
    server = await startProcess(dataDir, { MIVVY_QUEUE: redis.url, MIVVY_EXPORTS: '0', MIVVY_PORT: port });
  };
  const startMachine = (name: Name) =>
    workers.set(
      name,
      startWorker(
        { server: server.base, queue: redis.url, folder: join(folder, name), name },
        {
          args: ['--exports', '1'],
          before: networks.get(name)?.before ?? [],
          clockAheadMs: clocks[name],
        },
      ),
    );
  beforeAll(async () => {
    dataDir = await mkdtemp(join(tmpdir(), 'mivvy run '));
    folder = await mkdtemp(join(tmpdir(), 'mivvy machines '));
    await mkdir(join(dataDir, 'inbox'), { recursive: true });
    await smallFilm(join(dataDir, 'inbox', 'film.mp4'), 2);
    redis = await OwnRedis.start();
    await startServer();
    if (!namespacesThere) return;
    const ports = [server.base, redis.url].map((address) => Number(new URL(address).port));
    for (const name of names) {
      networks.set(name, await OwnNetwork.make(ports));
      // A disk of its own too, small enough to be filled.
      await mkdir(join(folder, name));
      await execa('mount', ['-t', 'tmpfs', '-o', `size=${diskBytes}`, 'tmpfs', join(folder, name)]);
    }
  }, 150_000);
  afterAll(async () => {
    for (const worker of workers.values()) {
      worker.child.kill('SIGCONT');
      await worker.kill();
    }
    await server.kill();
    await redis.end();
    for (const [name, network] of networks) {
      await network.end();
      await execa('umount', [join(folder, name)]);
    }
    for (const dir of [dataDir, folder]) await rm(dir, { recursive: true, force: true });
  });
  const call = <T>(method: string, path: string, body?: unknown) =>
    server.call(method, path, body).then((a) => a.body as unknown as T);

  /** What can happen to machines that are computers of their own. */
  const ofNetworks: Record<string, () => Promise<void>> = {
    'the line of a machine is cut until its lease is over': async () => {
      const network = networks.get(pick(names))!;
      await network.cut(true);
      await pause(12_000);
      await network.cut(false);
    },
    'the line of a machine is slow': async () => {
      const network = networks.get(pick(names))!;
      await network.slow(200_000);
      await pause(6000);
      await network.slow(null);
    },
    'the disk of a machine is full for a while': async () => {
      const rubbish = join(folder, pick(names), 'rubbish');
      await execa('dd', ['if=/dev/zero', `of=${rubbish}`, 'bs=1M'], { reject: false });
      await pause(6000);
      await rm(rubbish);
    },
  };
  /** What can happen, and how often it did. */
  const faults: Record<string, () => Promise<void>> = {
    ...(namespacesThere ? ofNetworks : {}),
    'a machine is killed and started anew': async () => {
      const name = pick(names);
      await workers.get(name)!.kill();
      startMachine(name);
    },
    'a machine is frozen until its lease is over': async () => {
      const { child } = workers.get(pick(names))!;
      child.kill('SIGSTOP');
      await pause(11_000);
      child.kill('SIGCONT');
    },
    'the queue is emptied': () => redis.ask((client) => client.flushall()).then(() => undefined),
    'the queue is killed, and comes back empty': async () => {
      await redis.kill();
      await pause(random() * 3000);
      await redis.up();
    },
    'the server is killed and started anew': async () => {
      const { port } = new URL(server.base);
      await server.kill();
      await startServer(port);
    },
    'a machine is cut off from its films': async () => {
      const own = join(folder, pick(names), 'films');
      for (const name of await readdir(own).catch(() => [])) await rm(join(own, name), { force: true });
    },
    'a machine is told to take nothing for a while': async () => {
      const { machines } = await call<Machines>('GET', '/machines');
      const { id } = pick(machines);
      await call('PATCH', `/machines/${id}`, { draining: true });
      await pause(2000);
      await call('PATCH', `/machines/${id}`, { draining: false });
    },
  };

  test(`${exportsAsked} exports among all faults`, async () => {
    await call('POST', '/spec-book/files', {
      fileName: 'ten.specbook.json',
      text: bookOf(places, { width: 100, height: 160 }),
    });
    const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Sixty', client: '' });
    const [film] = await call<{ path: string }[]>('GET', '/inbox');
    const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, {
      inboxFile: film!.path,
    });
    await until(async () => (await detailOf(call, id)).masters[0]?.sha256);
    const versions = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
      masterId: master.id,
      placementIds: Array.from({ length: places }, (_, i) => `place-${i}`),
    });
    const versionIds = versions.map((version) => version.id);
    names.forEach(startMachine);
    await until(
      async () => (await call<Machines>('GET', '/machines')).machines.filter((m) => m.there).length === 3,
    );
    const asked = new Set<string>();
    const began = Date.now();
    const happened = new Map<string, number>();
    const jobs = async () =>
      (await call<Job[]>('GET', `/productions/${id}/jobs`)).filter((job) => job.kind === 'export');
    /** What was given up because those that had it died too often is started again by a person. */
    const startAgain = async () => {
      for (const job of await jobs()) {
        if (job.state !== 'failed') continue;
        expect(job.problem).toMatchObject({ code: 'gave-up', sentence: expect.stringContaining('died') });
        await call('POST', `/jobs/${job.id}/retry`);
      }
    };
    const all = Object.keys(faults);
    let round = 0;
    while (asked.size < exportsAsked || (await jobs()).some((job) => job.state !== 'done')) {
      // Asked for a few at a time: a version is exported again when it has ended.
      const open = (await jobs()).filter((job) => job.state === 'queued' || job.state === 'running');
      if (asked.size < exportsAsked && open.length < 6) {
        const more = await call<Job[]>('POST', `/productions/${id}/exports`, { versionIds });
        for (const job of more) asked.add(job.id);
      }
      await pause(random() * 2500);
      // Every kind once at least, then by chance; the last exports end in peace.
      if (asked.size < exportsAsked) {
        const what = all[round] ?? pick(all);
        await faults[what]!();
        happened.set(what, (happened.get(what) ?? 0) + 1);
        round++;
      }
      await startAgain();
    }
    process.stdout.write(
      `${asked.size} exports in ${Math.round((Date.now() - began) / 1000)} s: ${JSON.stringify([...happened])}\n`,
    );
    expect([...happened.keys()].sort()).toEqual(all.sort());

    const files = await call<Deliverable[]>('GET', `/productions/${id}/deliverables`);
    expect((await jobs()).map((job) => job.id).sort()).toEqual([...asked].sort());
    for (const versionId of versionIds) {
      const own = files.filter((file) => file.versionId === versionId);
      const its = (await jobs()).filter((job) => job.subjectId === versionId).length;
      expect(own.map((file) => file.exportNumber).sort((a, b) => a - b)).toEqual(
        Array.from({ length: its }, (_, i) => i + 1),
      );
      expect(own.every((file) => file.passed && file.onDisk === null)).toBe(true);
    }
    for (const worker of workers.values()) expect(await worker.stop()).toBe(0);
    expect(await server.stop()).toBe(0);
    expect(await faultsOf(dataDir)).toEqual([]);
    expect(await readdir(join(dataDir, 'results'))).toEqual([]);
    expect(await processesOn(folder)).toEqual([]);
  }, 900_000);
});
