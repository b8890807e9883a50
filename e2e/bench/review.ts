import { copyFile, mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { chromium } from '@playwright/test';
import getPort from 'get-port';
import { bookOf } from '../../packages/server/src/testing/server.ts';
import { endServer, startServer } from '../testing/own-server.ts';

/** How soon the page behind a review link shows its first picture on a phone-sized screen, and which films it asks for. */

const places = 5;
const opened = 7;

export async function reviewSpeed({
  dir,
  source,
  say,
}: {
  dir: string;
  source: string;
  say: (line: string) => void;
}): Promise<void> {
  const data = join(dir, 'review');
  await mkdir(join(data, 'inbox'), { recursive: true });
  await copyFile(source, join(data, 'inbox', 'film.mp4'));
  const server = await startServer(data, {
    MIVVY_REVIEW_PORT: String(await getPort()),
    MIVVY_LOOKING: 'when-asked',
  });
  const browser = await chromium.launch({
    executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox'],
  });
  try {
    const address = await linkTo(server.base);
    const times: number[] = [];
    let films: string[] = [];
    for (let i = 0; i < opened; i++) {
      // A browser of its own each time, with nothing in its cache.
      const context = await browser.newContext({ viewport: { width: 390, height: 844 } });
      const page = await context.newPage();
      films = [];
      page.on('request', (request) => {
        const [, id] = /\/files\/([\w-]+)/.exec(request.url()) ?? [];
        if (id !== undefined && !films.includes(id)) films.push(id);
      });
      const began = performance.now();
      await page.goto(address, { waitUntil: 'commit' });
      await page.waitForFunction(() => {
        const video = document.querySelector('video');
        return video !== null && video.readyState >= 2;
      });
      times.push(performance.now() - began);
      await pause(500);
      await context.close();
    }
    const middle = times.sort((a, b) => a - b)[Math.floor(opened / 2)]!;
    say(`Review page of ${places} films at 390 × 844, ${opened} times with an empty cache`);
    say(
      `  first picture after ${middle.toFixed(0)} ms in the middle, ${times.at(-1)!.toFixed(0)} ms at most (limit 1000); ${films.length} of ${places} films asked for`,
    );
  } finally {
    await browser.close();
    await endServer(server.child);
  }
}

/** The address of a link to a production's films, which are made first. */
async function linkTo(base: string): Promise<string> {
  const call = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const answer = await fetch(`${base}/api${path}`, {
      method,
      ...(body === undefined
        ? {}
        : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
    });
    if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${await answer.text()}`);
    return (await answer.json()) as T;
  };
  const book = bookOf(places, { width: 540, height: 960 });
  await call('POST', '/spec-book/files', { fileName: 'five.specbook.json', text: book });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Kite', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const once = async (ready: () => Promise<boolean>) => {
    while (!(await ready())) await pause(500);
  };
  await once(
    async () => (await call<{ sha256: string | null }>('GET', `/masters/${master.id}`)).sha256 !== null,
  );
  const versions = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: Array.from({ length: places }, (_, i) => `place-${i}`),
  });
  const versionIds = versions.map((version) => version.id);
  await call('POST', `/productions/${id}/exports`, { versionIds });
  // Whatever becomes of them: a link cannot be made without a file that passed, and says so.
  await once(async () =>
    (await call<{ state: string }[]>('GET', `/productions/${id}/jobs`)).every(
      ({ state }) => state !== 'queued' && state !== 'running',
    ),
  );
  return (
    await call<{ address: string }>('POST', `/productions/${id}/review-links`, { name: 'Board', versionIds })
  ).address;
}
