import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import getPort from 'get-port';
import { Redis } from 'ioredis';
import { until } from './server.ts';

/** Whether there is one to be started; the launcher installs it where it may. */
export const redisThere = spawnSync('redis-server', ['--version']).status === 0;
if (!redisThere)
  process.stderr.write('redis-server is not installed, so the tests of render machines are left out.\n');

/** A distributor for one test, in a folder and on a port of its own. */
export class OwnRedis {
  private child: ChildProcess | undefined;

  private constructor(
    private readonly dir: string,
    private readonly port: number,
    private readonly options: readonly string[],
  ) {}

  static async start(...options: string[]): Promise<OwnRedis> {
    const dir = await mkdtemp(join(tmpdir(), 'mivvy redis '));
    const own = new OwnRedis(dir, await getPort(), options);
    await own.up();
    return own;
  }

  get url(): string {
    return `redis://127.0.0.1:${this.port}`;
  }

  /** Starts it again, as empty as it was the first time. */
  async up(): Promise<void> {
    this.child = spawn(
      'redis-server',
      ['--port', `${this.port}`, '--bind', '127.0.0.1', '--save', '', '--dir', this.dir, ...this.options],
      { stdio: 'ignore' },
    );
    await until(() => this.ask((redis) => redis.ping()).catch(() => false as const));
  }

  /** Ends it at once, with all it knew. */
  async kill(): Promise<void> {
    const { child } = this;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((end) => child.once('exit', end));
    child.kill('SIGKILL');
    await gone;
  }

  async ask<T>(what: (redis: Redis) => Promise<T>): Promise<T> {
    const redis = new Redis(this.url, { lazyConnect: true, retryStrategy: () => null });
    redis.on('error', () => undefined);
    try {
      await redis.connect();
      return await what(redis);
    } finally {
      redis.disconnect();
    }
  }

  async end(): Promise<void> {
    await this.kill();
    await rm(this.dir, { recursive: true, force: true });
  }
}
