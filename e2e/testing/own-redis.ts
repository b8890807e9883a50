import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { createConnection } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import getPort from 'get-port';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** Whether there is one to be started; the launcher installs it where it may. */
export const redisThere = spawnSync('redis-server', ['--version']).status === 0;

/** Starts a queue's server on a free port, which keeps nothing, and waits until it takes connections. */
export async function startRedis(dir: string): Promise<{ child: ChildProcess; url: string }> {
  const port = await getPort();
  const child = spawn(
    'redis-server',
    ['--port', `${port}`, '--bind', '127.0.0.1', '--save', '', '--dir', dir],
    { stdio: 'ignore' },
  );
  const answers = () =>
    new Promise<boolean>((resolve) => {
      const line = createConnection(port, '127.0.0.1');
      line.once('connect', () => (line.destroy(), resolve(true)));
      line.once('error', () => resolve(false));
    });
  while (!(await answers())) await new Promise((resolve) => setTimeout(resolve, 50));
  return { child, url: `redis://127.0.0.1:${port}` };
}

/** Starts a render machine; `before` is a command that it is started by, such as one that gives it one core. */
export function startMachine(
  of: { server: string; queue: string; cache: string; name: string },
  before: readonly string[] = [],
): ChildProcess {
  const [command, ...rest] = [
    ...before,
    'node',
    join(root, 'packages/bundle/src/run.mjs'),
    join(root, 'packages/worker/src/main.ts'),
    ...['--server', of.server, '--queue', of.queue, '--cache', of.cache, '--name', of.name],
  ];
  return spawn(command!, rest, { stdio: 'ignore' });
}
