import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { execa } from 'execa';
import { planMaster, usualLively } from '../../packages/core/src/index.ts';
import { countFrames, makeProxy, probeMaster } from '../../packages/media/src/index.ts';
import { endServer, startServer } from '../testing/own-server.ts';
import { asker } from './kit.ts';

/** What the first ten minutes cost: the sheet, framing on arrival, and films that are too large to be played as they are. */

const median = (n: number[]) => [...n].sort((a, b) => a - b)[Math.floor(n.length / 2)]!;
const seconds = async (work: () => Promise<unknown>) => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};

const shapes = [
  [1080, 1920],
  [1080, 1350],
  [1080, 1080],
  [1920, 1080],
  [1000, 1500],
] as const;
/** So many places of the usual shapes. */
const book = (count: number) => ({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'first',
      name: 'Firstby',
      placements: Array.from({ length: count }, (_, i) => ({
        id: `first-${i}`,
        name: `Place ${i + 1}`,
        frame: { width: shapes[i % 5]![0], height: shapes[i % 5]![1] },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
        audio: null,
      })),
    },
  ],
});

async function film(
  path: string,
  size: string,
  rate: number,
  length: number,
  ...encoder: string[]
): Promise<void> {
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `testsrc2=s=${size}:r=${rate}:d=${length}`],
    ...['-vf', 'noise=alls=10:allf=t:all_seed=3', '-c:v', 'libx264', '-preset', 'ultrafast', ...encoder],
    ...['-pix_fmt', 'yuv420p', '-movflags', '+faststart', path],
  ]);
}

/** Frames drawn a second by the slowest proof on the page while the film plays. */
const drawnWhilePlaying = (page: Page) =>
  page.evaluate(async () => {
    const desk = (window as unknown as { mivvyDesk: { play(): void; pause(): void } }).mivvyDesk;
    const canvases = [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')];
    const last = canvases.map(() => '');
    const count = canvases.map(() => 0);
    desk.play();
    await new Promise((r) => setTimeout(r, 700));
    const start = performance.now();
    while (performance.now() - start < 4000) {
      await new Promise((r) => requestAnimationFrame(r));
      canvases.forEach((c, i) => {
        if (c.dataset.frame === last[i]) return;
        last[i] = c.dataset.frame!;
        count[i]!++;
      });
    }
    desk.pause();
    return Math.min(...count) / 4;
  });

/** Milliseconds from a scrub until all proofs show the frame. */
const scrubs = (page: Page, frames: number) =>
  page.evaluate(async (length) => {
    const desk = (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk;
    const canvases = [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')];
    const times: number[] = [];
    for (let i = 0; i < 25; i++) {
      const frame = (i * 7919) % (length - 1);
      const started = performance.now();
      desk.seek(frame);
      while (canvases.some((c) => c.dataset.frame !== String(frame)) && performance.now() - started < 3000)
        await new Promise((r) => requestAnimationFrame(r));
      times.push(performance.now() - started);
    }
    return times;
  }, frames);

const allDrawn = (page: Page, count: number) =>
  page.waitForFunction(
    (n) =>
      document.querySelectorAll('.cell canvas').length >= n &&
      [...document.querySelectorAll<HTMLCanvasElement>('.cell canvas')].every(
        (c) => Number(c.dataset.frame ?? -1) >= 0,
      ),
    count,
    { polling: 'raf', timeout: 120_000 },
  );

interface Answered {
  id: string;
}

export async function firstSight(dir: string, say: (line: string) => void): Promise<void> {
  const dataDir = join(dir, 'first sight');
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await film(join(dataDir, 'inbox', 'hd.mp4'), '1920x1080', 25, 8, '-crf', '22');
  const large = join(dataDir, 'inbox', 'large.mp4');
  await film(large, '3840x2160', 25, 12, '-b:v', '80M', '-maxrate', '80M', '-bufsize', '80M');

  const short = join(dir, 'short.mp4');
  // Keyframes often enough that it scrubs as it is: its proof copy is not what is measured.
  await film(short, '320x180', 25, 20, '-crf', '34', '-g', '12');
  const repeated = ['-v', 'error', '-y', '-stream_loop', '29', '-i', short, '-c', 'copy'];
  await execa('ffmpeg', [...repeated, '-movflags', '+faststart', join(dataDir, 'inbox', 'long.mp4')]);

  const facts = await probeMaster(large).then(async (quick) =>
    quick.ok ? countFrames(large, quick.value) : quick,
  );
  if (!facts.ok) throw new Error(facts.problem.sentence);
  const plain = await seconds(() => execa('ffmpeg', ['-v', 'error', '-i', large, '-f', 'null', '-']));
  const copied = await seconds(() =>
    makeProxy(large, facts.value, planMaster(facts.value, '0'.repeat(64)), join(dir, 'copy.mp4'), {}),
  );
  say(
    `proof copy of 4K at 25 fps and 80 Mbit/s ÷ plain decoding: ${(copied / plain).toFixed(2)} (wanted 1.5)`,
  );

  // Only what is framed by what is seen is looked at: that takes as long as a film runs, and nothing else here waits for it.
  const { child, base } = await startServer(dataDir, { MIVVY_LOOKING: 'when-asked' });
  const ask = asker(base);
  const browser = await chromium.launch({
    executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
  });
  try {
    await ask('POST', '/spec-book/files', {
      fileName: 'first.specbook.json',
      text: JSON.stringify(book(60)),
    });
    const inbox = await ask<{ path: string; name: string }[]>('GET', '/inbox');
    const quiet = async (id: string) => {
      for (;;) {
        const jobs = await ask<{ state: string }[]>('GET', `/productions/${id}/jobs`);
        if (jobs.length && jobs.every((j) => j.state !== 'queued' && j.state !== 'running')) return;
        await new Promise((r) => setTimeout(r, 300));
      }
    };
    const bring = async (name: string, count: number, looked = false) => {
      const { id } = await ask<Answered>('POST', '/productions', { name });
      const master = await ask<Answered>('POST', `/productions/${id}/masters`, {
        inboxFile: inbox.find((f) => f.name === name)!.path,
      });
      await quiet(id);
      if (looked) {
        await ask('POST', `/masters/${master.id}/look`);
        await quiet(id);
      }
      const add = (from: number, to: number) =>
        ask<Answered[]>('POST', `/productions/${id}/versions`, {
          masterId: master.id,
          placementIds: Array.from({ length: to - from }, (_, i) => `first-${from + i}`),
        });
      await add(0, count);
      return { id, add };
    };
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });

    const ten = await bring('hd.mp4', 10, true);
    const opens: number[] = [];
    for (let i = 0; i < 3; i++) {
      await page.goto('about:blank');
      opens.push(
        await seconds(async () => {
          await page.goto(`${base}/productions/${ten.id}`);
          await allDrawn(page, 10);
        }),
      );
    }
    say(`a sheet of ten versions, until all are drawn: median ${median(opens).toFixed(2)} s (wanted 1.5)`);
    const fits = await page.locator('.proofs').getAttribute('data-fits');
    say(`  all ten in view at 1280 × 800 without scrolling: ${fits === 'true' ? 'yes' : 'no'}`);

    // Versions that nobody has framed, of a film that has been looked at: what framing them on arrival does.
    await ask('PATCH', '/preferences', { frameOnArrival: false });
    const five = (await ten.add(10, 15)).map((v) => v.id);
    await ask('PATCH', '/preferences', { frameOnArrival: true });
    const framing = await seconds(() =>
      ask('POST', `/productions/${ten.id}/follow`, {
        versionIds: five,
        lively: usualLively,
        handMade: false,
      }),
    );
    say(
      `framing five versions once the film has been looked at: ${(framing * 1000).toFixed(0)} ms (wanted 1,000)`,
    );

    await ten.add(15, 60);
    await page.goto(`${base}/productions/${ten.id}`);
    await allDrawn(page, 4);
    const scrolled = await page.evaluate(async () => {
      const room = document.querySelector('.proofroom')!;
      let frames = 0;
      const start = performance.now();
      while (performance.now() - start < 4000) {
        await new Promise((r) => requestAnimationFrame(r));
        room.scrollTop = ((performance.now() - start) / 4000) * (room.scrollHeight - room.clientHeight);
        frames++;
      }
      return { rate: frames / 4, live: document.querySelectorAll('.cell canvas').length };
    });
    say(
      `scrolling through 60 versions: ${scrolled.rate.toFixed(0)} redraws a second (wanted 25), ${scrolled.live} proofs live at its end`,
    );

    // A film of ten minutes in 300 shots: its score is zoomed in and out and moved along, as a hand does it.
    await ask('PATCH', '/preferences', { frameOnArrival: false });
    const long = await bring('long.mp4', 1);
    const { masters, versions } = await ask<{
      masters: { id: string; revision: number }[];
      versions: Answered[];
    }>('GET', `/productions/${long.id}`);
    await ask('PATCH', `/masters/${masters[0]!.id}/work`, {
      revision: masters[0]!.revision,
      shots: Array.from({ length: 300 }, (_, i) => ({ from: i * 50, setup: String((i % 5) + 1) })),
    });
    await page.goto(`${base}/productions/${long.id}/framing/${versions[0]!.id}`);
    await page.locator('.shotrow .group').first().waitFor();
    const score = (await page.locator('.axis').boundingBox())!;
    await page.mouse.move(score.x + score.width / 2, score.y + 30);
    const redraws = page.evaluate(async () => {
      let frames = 0;
      const start = performance.now();
      while (performance.now() - start < 5000) {
        await new Promise((r) => requestAnimationFrame(r));
        frames++;
      }
      return frames / 5;
    });
    await page.keyboard.down('Control');
    for (let i = 0; i < 60; i++) {
      await page.mouse.wheel(0, i % 30 < 20 ? -120 : 180);
      await page.waitForTimeout(30);
    }
    await page.keyboard.up('Control');
    for (let i = 0; i < 60; i++) {
      await page.mouse.wheel(60, 0);
      await page.waitForTimeout(25);
    }
    say(
      `the score of ten minutes in 300 shots, zoomed and moved: ${(await redraws).toFixed(0)} redraws a second (wanted 25)`,
    );
    await ask('PATCH', '/preferences', { frameOnArrival: true });

    const nine = await bring('large.mp4', 9);
    await page.goto(`${base}/productions/${nine.id}`);
    await allDrawn(page, 9);
    const proof = await ask<{ masters: { proof: { kind: string } }[] }>('GET', `/productions/${nine.id}`);
    const rate = await drawnWhilePlaying(page);
    const times = await scrubs(page, facts.value.video.frames);
    say(
      `nine live proofs of 4K, drawn from ${proof.masters[0]!.proof.kind === 'proxy' ? 'its proof copy' : 'the original'}: ${rate.toFixed(1)} pictures a second (wanted 24), a scrub ${median(times).toFixed(0)} ms at the median (wanted 120)`,
    );
  } finally {
    await browser.close();
    await endServer(child, 'SIGTERM');
  }
}
