import { link, mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { endServer, startServer } from '../testing/own-server.ts';
import { asker, peakMemory, timed, type Bench } from './kit.ts';

/** Brings a film in from the inbox and waits until all has been done with it. `meanwhile` is called again and again. */
export async function bringIn(base: string, meanwhile?: () => Promise<void>) {
  const ask = asker(base);
  const [file] = await ask<{ path: string }[]>('GET', '/inbox');
  const { id } = await ask<{ id: string }>('POST', '/productions', { name: 'Bench' });
  const master = await ask<{ id: string }>('POST', `/productions/${id}/masters`, {
    inboxFile: file!.path,
  });
  for (;;) {
    const jobs = await ask<{ kind: string; state: string }[]>('GET', `/productions/${id}/jobs`);
    const prepared = jobs.some(({ kind }) => kind === 'prepare');
    if (prepared && jobs.every(({ state }) => state !== 'queued' && state !== 'running')) break;
    await meanwhile?.();
    await new Promise((r) => setTimeout(r, 300));
  }
  return { id, masterId: master.id };
}

/** What taking in ten minutes costs: until its shots, its loudness, its stills and its proof copy are there. */
export async function takingIn({ dir, say }: Bench, long: string): Promise<void> {
  const dataDir = join(dir, 'taking in');
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await link(long, join(dataDir, 'inbox', 'long.mp4'));
  const { child, base } = await startServer(dataDir, { MIVVY_LOOKING: 'when-asked' });
  try {
    let highest = 0;
    const took = await timed(() =>
      bringIn(base, async () => void (highest = Math.max(highest, await peakMemory(child.pid!)))),
    );
    say(
      `taking in ten minutes of 1080p, with its proof copy ÷ its length: ${(took / 600).toFixed(2)}; the server’s highest memory ÷ the limit of 400 MB: ${(highest / 400e6).toFixed(2)}`,
    );
  } finally {
    await endServer(child, 'SIGTERM');
  }
}
