import { link, mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { endServer, startServer } from '../testing/own-server.ts';
import { openJobs, peakMemory, timed, type Bench } from './kit.ts';

/** How long a ten-minute film takes until all of it is known, and what the server needs for that. */
export async function takingIn({ dir, say }: Bench, long: string): Promise<void> {
  const dataDir = join(dir, 'taking in');
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await link(long, join(dataDir, 'inbox', 'long.mp4'));
  const { child, base } = await startServer(dataDir, { MIVVY_LOOKING: 'when-asked' });
  try {
    const post = async (path: string, body: unknown) => {
      const headers = { 'Content-Type': 'application/json' };
      const asked = { method: 'POST', headers, body: JSON.stringify(body) };
      return (await (await fetch(`${base}/api${path}`, asked)).json()) as { id: string };
    };
    const { id } = await post('/productions', { name: 'Long', client: '' });
    const [file] = (await (await fetch(`${base}/api/inbox`)).json()) as { path: string }[];
    const took = await timed(async () => {
      await post(`/productions/${id}/masters`, { inboxFile: file!.path });
      while ((await openJobs(base, id)).length > 0) await new Promise((r) => setTimeout(r, 500));
    });
    say(
      `taking in ten minutes of 1080p, its shots and sound with it ÷ its length: ${(took / 600).toFixed(2)}`,
    );
    say(
      `  the server’s highest memory meanwhile ÷ the limit of 400 MB: ${((await peakMemory(child.pid!)) / 400e6).toFixed(2)}`,
    );
  } finally {
    await endServer(child, 'SIGTERM');
  }
}
