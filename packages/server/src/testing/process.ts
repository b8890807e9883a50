import { spawn, type ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { readdir, readFile, readlink, rm } from 'node:fs/promises';
import { join, relative, resolve } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import type { Job, ProductionDetail } from '@mivvy/api';
import { isActive, until } from './server.ts';

const root = fileURLToPath(new URL('../../../..', import.meta.url));

/** Asks a server; its answer, taken to be what is expected. */
type Call = <T>(method: string, path: string, body?: unknown) => Promise<T>;

/** A production with the jobs that wait or run for it. */
export async function detailOf(call: Call, id: string): Promise<ProductionDetail & { jobs: Job[] }> {
  // Jobs first: one that ends in between has changed the production by then.
  const jobs = await call<Job[]>('GET', `/productions/${id}/jobs`);
  return { ...(await call<ProductionDetail>('GET', `/productions/${id}`)), jobs: jobs.filter(isActive) };
}

/** A server in a process of its own, as the launcher starts it, for tests that end it by force. */
export interface ServerProcess {
  child: ChildProcess;
  base: string;
  call: (method: string, path: string, body?: unknown) => Promise<{ status: number; body: never }>;
  /** Ends it at once, as a power cut would. */
  kill: () => Promise<void>;
  /** Ends it as a person would; its exit code. */
  stop: () => Promise<number | null>;
  /** What it has said on standard error. */
  words: () => string;
}

/** A program of ours in a process of its own. */
export const program = (main: string, ...args: string[]): string[] => [
  join(root, 'packages/bundle/src/run.mjs'),
  '--before',
  join(root, 'packages/server/src/testing/shifted-clock.ts'),
  join(root, main),
  ...args,
];

function launch(dataDir: string, env: Record<string, string>): { child: ChildProcess; words: () => string } {
  const child = spawn('node', program('packages/server/src/main.ts'), {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      MIVVY_DATA: dataDir,
      MIVVY_PORT: '0',
      MIVVY_LOOKING: 'when-asked',
      // The same order on every machine.
      MIVVY_EXPORTS: '1',
      ...env,
    },
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  let words = '';
  child.stderr!.on('data', (chunk: Buffer) => (words += chunk.toString()));
  return { child, words: () => words };
}

const ended = (child: ChildProcess): Promise<number | null> =>
  child.exitCode !== null || child.signalCode !== null
    ? Promise.resolve(child.exitCode)
    : new Promise((end) => child.once('exit', (code) => end(code)));

/** Starts a server and waits until it answers. */
export async function startProcess(
  dataDir: string,
  env: Record<string, string> = {},
): Promise<ServerProcess> {
  const addressFile = join(dataDir, 'server.json');
  await rm(addressFile, { force: true });
  const { child, words } = launch(dataDir, env);
  const { port } = await until(async () => {
    if (child.exitCode !== null) throw new Error(`the server ended with ${child.exitCode}: ${words()}`);
    const text = await readFile(addressFile, 'utf8').catch(() => '');
    return text ? (JSON.parse(text) as { port: number }) : false;
  });
  const base = `${env.MIVVY_TLS_CERT ? 'https' : 'http'}://127.0.0.1:${port}`;
  return {
    child,
    base,
    words,
    call: async (method, path, body) => {
      const answer = await fetch(`${base}/api${path}`, {
        method,
        ...(body === undefined
          ? {}
          : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
      });
      const text = await answer.text();
      return {
        status: answer.status,
        body: (/json/.test(answer.headers.get('content-type') ?? '') && text
          ? JSON.parse(text)
          : text) as never,
      };
    },
    kill: async () => {
      child.kill('SIGKILL');
      await ended(child);
    },
    stop: async () => {
      child.kill('SIGTERM');
      return ended(child);
    },
  };
}

/** Starts a server that is expected to refuse to, and returns how it ended. */
export async function startRefused(
  dataDir: string,
  env: Record<string, string> = {},
): Promise<{ code: number | null; words: string }> {
  const { child, words } = launch(dataDir, env);
  const code = await ended(child);
  return { code, words: words() };
}

/** A render machine in a process of its own. */
export interface WorkerProcess {
  child: ChildProcess;
  /** Ends it at once, as a power cut would. */
  kill: () => Promise<void>;
  /** Ends it as a person would; its exit code. */
  stop: () => Promise<number | null>;
  ended: () => Promise<number | null>;
  words: () => string;
}

/** Starts a render machine on a folder of its own; it joins by itself. */
export function startWorker(
  of: { server: string; queue: string; folder: string; name: string },
  {
    args = [],
    before = [],
    clockAheadMs = 0,
  }: {
    args?: readonly string[];
    before?: readonly string[];
    /** So far its clock stands ahead of everybody else's. */
    clockAheadMs?: number;
  } = {},
): WorkerProcess {
  const { server, queue, folder, name } = of;
  const own = ['--server', server, '--queue', queue, '--cache', folder, '--name', name, ...args];
  const [command = 'node', ...rest] = [...before, 'node', ...program('packages/worker/src/main.ts', ...own)];
  const child = spawn(command, rest, {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      MIVVY_TEST_CLOCK_AHEAD: String(clockAheadMs),
    },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let words = '';
  for (const stream of [child.stdout!, child.stderr!])
    stream.on('data', (chunk: Buffer) => (words += chunk.toString()));
  const end = (signal: NodeJS.Signals) => {
    child.kill(signal);
    return ended(child);
  };
  return {
    child,
    kill: async () => void (await end('SIGKILL')),
    stop: () => end('SIGTERM'),
    ended: () => ended(child),
    words: () => words,
  };
}

const sumOf = async (path: string) =>
  createHash('sha256')
    .update(await readFile(path))
    .digest('hex');

async function filesBelow(dir: string): Promise<string[]> {
  const entries = await readdir(dir, { recursive: true, withFileTypes: true }).catch(() => []);
  return entries.filter((e) => e.isFile()).map((e) => join(e.parentPath, e.name));
}

/** Processes of the system, but this one, that have a file of a folder open or on their command line. */
export async function processesOn(dir: string): Promise<string[]> {
  const found: string[] = [];
  for (const pid of await readdir('/proc').catch(() => [])) {
    if (!/^\d+$/.test(pid) || Number(pid) === process.pid) continue;
    const words = (await readFile(`/proc/${pid}/cmdline`, 'utf8').catch(() => '')).replaceAll('\0', ' ');
    const cwd = await readlink(`/proc/${pid}/cwd`).catch(() => '');
    if (words.includes(dir) || cwd.startsWith(dir)) found.push(words);
  }
  return found;
}

/**
 * What is wrong with a data folder in which nothing runs any more: rows whose file is not theirs by its sum, files that
 * belong to nothing, a database that is not sound. Empty where nothing is.
 */
export async function faultsOf(dataDir: string): Promise<string[]> {
  const faults: string[] = [];
  const client = createClient({ url: pathToFileURL(join(dataDir, 'mivvy.sqlite')).href });
  try {
    const rows = async (sql: string) =>
      (await client.execute(sql)).rows as unknown as Record<string, string>[];
    const integrity = (await rows('PRAGMA integrity_check'))[0]?.integrity_check;
    if (integrity !== 'ok') faults.push(`integrity: ${integrity}`);
    for (const row of await rows('PRAGMA foreign_key_check'))
      faults.push(`a row refers to nothing: ${JSON.stringify(row)}`);

    const owned = new Map<string, string>();
    const belongs = async (table: string, row: Record<string, string>) => {
      const path = resolve(dataDir, row.path!);
      const other = owned.get(path);
      if (other) faults.push(`${table} ${row.id} and ${other} have one file`);
      owned.set(path, `${table} ${row.id}`);
      if (!existsSync(path)) faults.push(`the file of ${table} ${row.id} is not there`);
      else if (row.sha256 !== null && (await sumOf(path)) !== row.sha256)
        faults.push(`the file of ${table} ${row.id} is another`);
    };
    for (const row of await rows('select id, path, sha256 from deliverables'))
      await belongs('deliverable', row);
    for (const row of await rows("select id, path, sha256 from masters where origin = 'upload'"))
      await belongs('master', row);
    for (const { n, name_key: key } of await rows(
      'select count(*) n, name_key from deliverables group by production_id, name_key',
    ))
      if (Number(n) > 1 || key === null) faults.push(`${n} files are called ${key}`);

    for (const folder of ['exports', 'originals']) {
      for (const file of await filesBelow(join(dataDir, folder)))
        if (!owned.has(file)) faults.push(`${relative(dataDir, file)} belongs to nothing`);
    }
    const waiting = new Set(
      (await filesBelow(join(dataDir, 'uploads')))
        .filter((f) => f.endsWith('.json'))
        .map((f) => f.slice(0, -5)),
    );
    for (const file of await filesBelow(join(dataDir, 'uploads')))
      if (!waiting.has(file.replace(/\.json$/, '')))
        faults.push(`${relative(dataDir, file)} belongs to nothing`);
    for (const file of await filesBelow(join(dataDir, 'work')))
      faults.push(`${relative(dataDir, file)} was left`);
    const masters = new Set((await rows('select id from masters')).map((row) => row.id!));
    for (const entry of await readdir(join(dataDir, 'stills')))
      if (!masters.has(entry.split('.')[0]!)) faults.push(`stills/${entry} belongs to nothing`);
    for (const file of await filesBelow(join(dataDir, 'stills')))
      if (file.includes('.part')) faults.push(`${relative(dataDir, file)} is half a picture`);
    const jobs = new Set((await rows('select id from jobs')).map((row) => `${row.id}.log`));
    for (const entry of await readdir(join(dataDir, 'logs')))
      if (entry !== 'server.log' && !jobs.has(entry)) faults.push(`logs/${entry} belongs to nothing`);
    const subjects = new Set([
      ...masters,
      ...(await rows('select id from versions')).map((r) => r.id!),
      ...(await rows('select id from cuts')).map((r) => r.id!),
    ]);
    for (const row of await rows('select distinct subject_id from changes'))
      if (!subjects.has(row.subject_id!)) faults.push(`changes of ${row.subject_id} that is gone`);
  } finally {
    client.close();
  }
  return faults;
}
