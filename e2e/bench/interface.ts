import { link, mkdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { browserArgs } from '../testing/browser-args.ts';
import { endServer, startServer } from '../testing/own-server.ts';
import { asker, median, tall, timed, type Bench } from './kit.ts';
import { bringIn } from './taking-in.ts';

const places = [
  'starter-tall',
  'starter-feed-portrait',
  'starter-square',
  'starter-wide',
  'starter-board',
  'starter-header',
  'starter-classic',
  'bench-tall',
];

/** How soon a ten-minute film is seen, and how the proofs of a shorter one play and scrub. */
export async function interfaceTimes({ dir, say }: Bench, long: string, shorter: string): Promise<void> {
  const dataDir = join(dir, 'data');
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await link(shorter, join(dataDir, 'inbox', 'shorter.mp4'));
  const { child, base } = await startServer(dataDir, { MIVVY_LOOKING: 'when-asked' });
  const browser = await chromium.launch({
    executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
    args: browserArgs,
  });
  try {
    const ask = asker(base);
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    let uploadEnd = 0;
    page.on('response', (answer) => {
      if (
        answer.request().method() === 'PATCH' &&
        answer.url().includes('/api/uploads/') &&
        answer.status() === 200
      )
        uploadEnd = performance.now();
    });
    await page.goto(base);
    // Chosen before the film arrives, so that its proofs stand on the sheet as soon as they can.
    await page.getByTestId('film-chooser').first().setInputFiles(long);
    // Where it goes is asked at once; here that is left for later.
    await page.getByRole('heading', { name: /^Where does/ }).waitFor();
    await page.keyboard.press('Escape');
    await page.getByRole('link', { name: 'Masters', exact: true }).click();
    await page.waitForFunction(
      () => [...document.querySelectorAll('canvas')].some((c) => Number(c.dataset.frame ?? -1) >= 0),
      null,
      { timeout: 180_000, polling: 'raf' },
    );
    const wait = (performance.now() - uploadEnd) / 1000;
    say(
      `first live picture of a ${((await stat(long)).size / 1e6).toFixed(0)} MB, ten-minute master after the end of its upload ÷ the limit of 2 s: ${(wait / 2).toFixed(2)}`,
    );

    // All that is still to be done with ten minutes takes minutes, and goes with them.
    for (const { id } of await ask<{ id: string }[]>('GET', '/productions'))
      await ask('DELETE', `/productions/${id}`);
    await ask('POST', '/spec-book/files', {
      fileName: 'b.specbook.json',
      text: JSON.stringify({
        format: 'mivvy-spec-book',
        version: 1,
        outlets: [{ id: 'bench', name: 'Bench', placements: [{ ...tall, id: 'bench-tall' }] }],
      }),
    });
    const production = await bringIn(base);
    await ask('POST', `/productions/${production.id}/versions`, {
      masterId: production.masterId,
      placementIds: places,
    });
    const opens: number[] = [];
    for (let i = 0; i < 3; i++) {
      await page.goto('about:blank');
      opens.push(
        await timed(async () => {
          await page.goto(`${base}/productions/${production.id}`);
          await page.waitForFunction(
            () =>
              document.querySelectorAll('.cell canvas').length === 8 &&
              [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')].every(
                (c) => Number(c.dataset.frame ?? -1) >= 0,
              ),
            null,
            { polling: 'raf' },
          );
        }),
      );
    }
    say(
      `opening a production with 8 versions, until all 8 proofs are drawn ÷ the limit of 1.5 s: median ${(median(opens) / 1.5).toFixed(2)}`,
    );

    const drawn = await page.evaluate(async () => {
      const canvases = [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')];
      const last = canvases.map(() => '');
      const count = canvases.map(() => 0);
      (window as unknown as { mivvyDesk: { play(): void; pause(): void } }).mivvyDesk.play();
      await new Promise((r) => setTimeout(r, 500));
      const start = performance.now();
      while (performance.now() - start < 4000) {
        await new Promise((r) => requestAnimationFrame(r));
        canvases.forEach((c, i) => {
          if (c.dataset.frame !== last[i]) {
            last[i] = c.dataset.frame!;
            count[i]!++;
          }
        });
      }
      (window as unknown as { mivvyDesk: { pause(): void } }).mivvyDesk.pause();
      return count.map((n) => n / 4);
    });
    say(
      `frames drawn a second by the slowest of 8 live proofs while playing ÷ the film’s 25: ${(Math.min(...drawn) / 25).toFixed(2)}`,
    );
    const scrubs = await page.evaluate(async () => {
      const canvases = [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')];
      const desk = (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk;
      const times: number[] = [];
      for (let i = 0; i < 30; i++) {
        // Short and long ways, as a hand makes them.
        const frame = 200 + ((i * 7919) % 3000);
        const started = performance.now();
        desk.seek(frame);
        while (canvases.some((c) => c.dataset.frame !== String(frame)) && performance.now() - started < 3000)
          await new Promise((r) => requestAnimationFrame(r));
        times.push(performance.now() - started);
      }
      return times;
    });
    say(
      `a scrub, until the new frame is in all 8 proofs ÷ the limit of 120 ms: median ${(median(scrubs) / 120).toFixed(2)}`,
    );
  } finally {
    await browser.close();
    await endServer(child, 'SIGTERM');
  }
}
