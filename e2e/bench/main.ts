/**
 * Speed, as ratios on this machine in this run: our export against plain ffmpeg commands with the same filters and
 * settings, and waiting times against the limits that we set ourselves. Nothing here passes or fails.
 */
import { mkdir, mkdtemp, readdir, readFile, rm, stat } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { chromium } from '@playwright/test';
import { execa } from 'execa';
import {
  heldFraming,
  hiddenKeeps,
  makePlan,
  planMaster,
  stillWindow,
  type Placement,
} from '../../packages/core/src/index.ts';
import { countFrames, deliver, findShots, probeMaster } from '../../packages/media/src/index.ts';
import { containerArgs, pictureArgs } from '../../packages/media/src/render/encoders.ts';
import { stillFilters } from '../../packages/media/src/render/filters.ts';
import { cutsSpeed } from './cuts.ts';
import { calibration } from './calibration.ts';
import { firstSight } from './first-sight.ts';
import { layersSpeed } from './layers.ts';
import { ledgerSpeed } from './ledger.ts';
import { machinesSpeed } from './machines.ts';
import { plantedTable } from './planted.ts';
import { plainTwoPass, setRatio } from './sets.ts';
import { reviewSpeed } from './review.ts';
import { startServer } from '../testing/own-server.ts';
import { dataFlow } from './data-flow.ts';
import { followingTable, lookingSpeed, solvingSpeed } from './following.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const { values } = parseArgs({
  options: { pairs: { type: 'string', default: '2' }, only: { type: 'string' } },
});
const pairs = Math.max(1, Number(values.pairs));
const say = (line: string) => process.stdout.write(`${line}\n`);
const median = (n: number[]) => {
  const sorted = [...n].sort((a, b) => a - b);
  return (sorted[Math.floor((n.length - 1) / 2)]! + sorted[Math.floor(n.length / 2)]!) / 2;
};
const dir = await mkdtemp(join(tmpdir(), 'mivvy bench '));

const tall: Placement = {
  id: 'tall',
  name: 'Tall',
  frame: { width: 1080, height: 1920 },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 3500, maxKbps: 4000 }, keyframeSeconds: 2 },
  audio: {
    codec: 'aac',
    kbps: 128,
    sampleRate: 48000,
    channels: 2,
    loudness: { integratedLufs: -14, truePeakDbtp: -1 },
  },
};

/** A moving 1080p film of 20 s with sound; `grain` makes it as hard to code as a camera's. */
async function film(grain: number, ...args: string[]): Promise<string> {
  const path = join(dir, `film ${grain} ${args.join(' ')}.mp4`);
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=1920x1080:r=25:d=20',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=c=pink:a=0.2:d=20:seed=2',
    '-vf',
    grain ? `noise=alls=${grain}:allf=t:all_seed=3` : 'null',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-crf',
    '16',
    '-pix_fmt',
    'yuv420p',
    '-c:a',
    'aac',
    ...args,
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

/** Ten minutes of it, by repeating its packets. */
async function longFilm(source: string): Promise<string> {
  const path = join(dir, `long ${basename(source)}`);
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-stream_loop',
    '29',
    '-i',
    source,
    '-c',
    'copy',
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

async function factsFor(path: string) {
  const quick = await probeMaster(path);
  if (!quick.ok) throw new Error(quick.problem.sentence);
  const facts = await countFrames(path, quick.value);
  if (!facts.ok) throw new Error(facts.problem.sentence);
  return facts.value;
}

async function planFor(path: string, placement: Placement) {
  return makePlan({
    facts: await factsFor(path),
    sha256: '0'.repeat(64),
    placement,
    framing: heldFraming({ x: 0.4, y: 0.5, zoom: 1 }),
  }).plan;
}

const timed = async (work: () => Promise<unknown>) => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};

async function exportRatio(source: string): Promise<void> {
  const plan = await planFor(source, tall);
  const plain = () => plainTwoPass(plan, source, join(dir, 'plain'));
  const outPath = join(dir, 'ours.mp4');
  const ours = async () => {
    await rm(outPath, { force: true });
    const made = await deliver(plan, {
      masterPath: source,
      outPath,
      workDir: join(dir, 'work'),
    });
    if (!made.ok) throw new Error(made.problem.sentence);
  };
  const ratios: number[] = [];
  for (let i = 0; i < pairs; i++) {
    // In turn, the other one first each time, so that a machine that slows down favours neither.
    const early = i % 2 ? await timed(ours) : null;
    const p = await timed(plain);
    const o = early ?? (await timed(ours));
    ratios.push(o / p);
    say(`  pair ${i + 1}: ours ÷ plain ffmpeg = ${(o / p).toFixed(3)}`);
  }
  say(
    `export of 20 s, 1080p to 1080×1920, sound normalised and file measured ÷ plain two-pass ffmpeg without either: median ${median(ratios).toFixed(3)} (wanted: at most 1.10)`,
  );
}

/** A film whose window moves all the time against one that stands still: what the finer way of cutting costs. */
async function movingRatio(source: string): Promise<void> {
  const still = await planFor(source, tall);
  const moving = {
    ...still,
    framing: {
      version: 1 as const,
      stretches: [
        {
          from: 0,
          move: {
            kind: 'glide' as const,
            a: { x: 0.3, y: 0.5, zoom: 1 },
            b: { x: 0.7, y: 0.5, zoom: 1 },
            start: 0,
            end: still.frames - 1,
            ease: 'even' as const,
          },
        },
      ],
    },
  };
  const outPath = join(dir, 'moving.mp4');
  const run = (plan: typeof still) =>
    timed(async () => {
      await rm(outPath, { force: true });
      const made = await deliver(plan, {
        masterPath: source,
        outPath,
        workDir: join(dir, 'work'),
      });
      if (!made.ok) throw new Error(made.problem.sentence);
    });
  const held = await run(still);
  say(
    `export of 20 s with a window that moves at every frame ÷ the same with one that stands still: ${((await run(moving)) / held).toFixed(2)}`,
  );
}

/** Finding shots against the length of the film, of a demo-like film without grain and of a grainy one. */
async function shotsSpeed(source: string, easy: string): Promise<void> {
  for (const [name, path] of [
    ['without grain', easy],
    ['with grain', source],
  ] as const) {
    const quick = await probeMaster(path);
    const facts = quick.ok ? await countFrames(path, quick.value) : quick;
    if (!facts.ok) throw new Error(facts.problem.sentence);
    const seconds = (facts.value.video.frames * facts.value.video.rate.den) / facts.value.video.rate.num;
    const took = await timed(
      async () => void (await findShots(path, facts.value, planMaster(facts.value, '0'.repeat(64)))),
    );
    const plain = await timed(() =>
      execa('ffmpeg', ['-v', 'error', '-nostdin', '-i', path, '-f', 'null', '-']),
    );
    say(
      `finding shots of a 1080p film ${name}: ${(seconds / took).toFixed(1)} × real time, ÷ the wanted 8: ${(seconds / took / 8).toFixed(2)}; its time ÷ that of plain decoding by ffmpeg: ${(took / plain).toFixed(2)}`,
    );
  }
}

/** Troubles of 8 versions of ten minutes with 12 keeps; every so manyth shot is a moving one, the others hold. */
function troublesSpeed(everyNth: number): void {
  const frames = 15_000;
  const master = { width: 1920, height: 1080 };
  const framing = {
    version: 1 as const,
    stretches: Array.from({ length: 150 }, (_, i) => ({
      from: i * 100,
      move:
        i % everyNth
          ? { kind: 'hold' as const, pose: { x: 0.2 + (i % 7) / 10, y: 0.5, zoom: 1 } }
          : {
              kind: 'glide' as const,
              a: { x: 0.2 + (i % 7) / 10, y: 0.5, zoom: 1 },
              b: { x: 0.7 - (i % 5) / 10, y: 0.5, zoom: 1.2 },
              start: 5,
              end: 90,
              ease: 'soft' as const,
            },
    })),
  };
  const keeps = Array.from({ length: 12 }, (_, i) => ({
    id: `k${i}`,
    name: `Keep ${i}`,
    kind: 'face' as const,
    span: { from: 0, to: frames },
    keys: [{ at: 0, x: i / 15, y: 0.3, width: 0.1, height: 0.2 }],
  }));
  const shapes = [
    [1080, 1920],
    [1080, 1350],
    [1080, 1080],
    [1920, 1080],
    [1000, 1500],
    [1500, 500],
    [1440, 1080],
    [1080, 1920],
  ] as const;
  const run = () =>
    shapes.map(
      ([width, height]) =>
        hiddenKeeps(framing, keeps, { from: 0, to: frames }, master, {
          frameSize: { width, height },
          blocked: [{ name: 'b', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
          margins: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
        }).length,
    );
  run();
  const times = Array.from({ length: 7 }, () => {
    const started = performance.now();
    run();
    return performance.now() - started;
  });
  say(
    `troubles of 8 versions × 10 minutes × 12 keeps, ${everyNth === 1 ? 'every shot moving' : `one shot in ${everyNth} moving`} ÷ the limit of 50 ms: median ${(median(times) / 50).toFixed(2)}; one version after a change: ${(median(times) / 50 / 8).toFixed(2)}`,
  );
}

/** Highest resident memory of a process so far, bytes. */
async function peakMemory(pid: number): Promise<number> {
  const status = await readFile(`/proc/${pid}/status`, 'utf8').catch(() => '');
  return Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? 0) * 1024;
}

/** The encoders that this process started itself; others on the machine are not ours to count. */
async function ffmpegPids(): Promise<number[]> {
  const pids: number[] = [];
  for (const entry of await readdir('/proc')) {
    if (!/^\d+$/.test(entry)) continue;
    const status = await readFile(`/proc/${entry}/status`, 'utf8').catch(() => '');
    if (/^Name:\s+ffmpeg$/m.test(status) && Number(/^PPid:\s+(\d+)/m.exec(status)?.[1]) === process.pid)
      pids.push(Number(entry));
  }
  return pids;
}

async function interfaceTimes(long: string): Promise<void> {
  const dataDir = join(dir, 'data');
  await mkdir(dataDir, { recursive: true });
  const { child, base } = await startServer(dataDir);
  const browser = await chromium.launch({
    executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  try {
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

    const production = ((await (await fetch(`${base}/api/productions`)).json()) as { id: string }[])[0]!;
    const detail = (await (await fetch(`${base}/api/productions/${production.id}`)).json()) as {
      masters: { id: string }[];
    };
    const places = [
      'starter-tall',
      'starter-feed-portrait',
      'starter-square',
      'starter-wide',
      'starter-board',
      'starter-header',
      'starter-classic',
    ];
    await fetch(`${base}/api/spec-book/files`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({
        fileName: 'b.specbook.json',
        text: JSON.stringify({
          format: 'mivvy-spec-book',
          version: 1,
          outlets: [{ id: 'bench', name: 'Bench', placements: [{ ...tall, id: 'bench-tall' }] }],
        }),
      }),
    });
    await fetch(`${base}/api/productions/${production.id}/versions`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ masterId: detail.masters[0]!.id, placementIds: [...places, 'bench-tall'] }),
    });
    const idle = async () =>
      (
        (await (await fetch(`${base}/api/productions/${production.id}/jobs`)).json()) as { state: string }[]
      ).every((job) => job.state !== 'queued' && job.state !== 'running');
    let highest = 0;
    while (!(await idle())) {
      highest = Math.max(highest, await peakMemory(child.pid!));
      await new Promise((r) => setTimeout(r, 500));
    }
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
    say(
      `server’s highest memory after taking in ten minutes of 1080p ÷ the limit of 400 MB: ${(Math.max(highest, await peakMemory(child.pid!)) / 400e6).toFixed(2)}`,
    );
  } finally {
    await browser.close();
    child.kill('SIGTERM');
    await new Promise((r) => child.once('exit', r));
  }
}

/** Highest memory of the encoder while something runs. */
async function watchFfmpeg(work: () => Promise<unknown>): Promise<number> {
  let highest = 0;
  const timer = setInterval(
    () =>
      void (async () => {
        for (const pid of await ffmpegPids()) highest = Math.max(highest, await peakMemory(pid));
      })(),
    200,
  );
  await work();
  clearInterval(timer);
  return highest;
}

async function exportMemory(short: string, long: string): Promise<void> {
  const small: Placement = {
    ...tall,
    frame: { width: 270, height: 480 },
    video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
    audio: null,
  };
  const run = async (source: string) => {
    const plan = await planFor(source, small);
    const outPath = join(dir, 'memory.mp4');
    await rm(outPath, { force: true });
    return watchFfmpeg(() =>
      deliver(plan, { masterPath: source, outPath, workDir: join(dir, 'work memory') }),
    );
  };
  const plan = await planFor(long, small);
  const [ours10, ours] = [await run(long), await run(short)];
  const plain = await watchFfmpeg(() =>
    execa('ffmpeg', [
      '-v',
      'error',
      '-nostdin',
      '-y',
      '-i',
      long,
      '-map',
      '0:0',
      '-vf',
      stillFilters(plan, { kind: 'delivered', skipped: 0 }, stillWindow(plan)!),
      ...pictureArgs(plan, 'only'),
      '-an',
      ...containerArgs(plan),
      join(dir, 'memory plain.mp4'),
    ]),
  );
  say(
    `the encoder’s memory for ten minutes ÷ for 20 s: ${(ours10 / ours).toFixed(2)}; ÷ plain ffmpeg’s for ten minutes: ${(ours10 / plain).toFixed(2)}`,
  );
}

try {
  if (!values.only || values.only === 'following') {
    followingTable(say);
    solvingSpeed(say);
    await lookingSpeed(dir, say, timed);
  }
  if (!values.only || values.only === 'calibration') await calibration(dir, say);
  if (values.only !== 'following' && values.only !== 'calibration') await others();
} finally {
  await rm(dir, { recursive: true, force: true });
}

async function others(): Promise<void> {
  if (values.only === 'check') return plantedTable(dir, say);
  if (values.only === 'ledger') return ledgerSpeed(dir, say);
  if (values.only === 'data') return dataFlow(root, dir, say);
  if (values.only === 'first-sight') return firstSight(dir, say);
  const source = await film(3);
  // Minutes of exports on cores of their own: only where it is asked for.
  if (values.only === 'machines') return machinesSpeed({ dir, source, say });
  if (!values.only || values.only === 'review') await reviewSpeed({ dir, source, say });
  if (!values.only || values.only === 'export') await exportRatio(source);
  if (!values.only || values.only === 'sets') {
    const short = await film(3, '-t', '8');
    await setRatio({ dir, source: short, facts: await factsFor(short), like: tall, timed, say });
  }
  if (!values.only || values.only === 'moving') await movingRatio(source);
  if (!values.only || values.only === 'layers')
    await layersSpeed(dir, source, await factsFor(source), tall, pairs, say);
  if (!values.only || values.only === 'troubles') for (const n of [1, 3]) troublesSpeed(n);
  if (!values.only || values.only === 'shots') await shotsSpeed(source, await film(0));
  if (!values.only || values.only === 'cuts')
    await cutsSpeed(dir, await longFilm(await film(3, '-g', '50')), tall, say);
  if (!values.only || values.only === 'interface') await interfaceTimes(await longFilm(source));
  if (!values.only || values.only === 'data') await dataFlow(root, dir, say);
  if (!values.only) await ledgerSpeed(dir, say);
  if (!values.only) await firstSight(dir, say);
  if (!values.only || values.only === 'memory') {
    const easy = await film(0);
    await exportMemory(easy, await longFilm(easy));
  }
}
