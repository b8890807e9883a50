import { spawn, type ChildProcess } from 'node:child_process';
import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** A server on a data folder of its own. */
export interface OwnServer {
  child: ChildProcess;
  base: string;
}

/** Starts a server on a data folder, with more of its environment, and waits until it has written its address. */
export async function startServer(dataDir: string, env: Record<string, string> = {}): Promise<OwnServer> {
  const address = join(dataDir, 'server.json');
  await rm(address, { force: true });
  const child = spawn(
    'node',
    [join(root, 'packages/bundle/src/run.mjs'), join(root, 'packages/server/src/main.ts')],
    {
      env: {
        ...process.env,
        MIVVY_DATA: dataDir,
        MIVVY_PORT: '0',
        ...env,
      },
      stdio: 'ignore',
    },
  );
  for (;;) {
    const text = await readFile(address, 'utf8').catch(() => '');
    if (text) return { child, base: `http://127.0.0.1:${(JSON.parse(text) as { port: number }).port}` };
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

/** Ends a server: at once, or as it is told to. */
export const endServer = (child: ChildProcess, signal: 'SIGKILL' | 'SIGTERM' = 'SIGKILL'): Promise<unknown> =>
  new Promise((resolve) => {
    child.once('exit', resolve);
    child.kill(signal);
  });
