import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { chromium, type CDPSession, type Page } from '@playwright/test';
import { execa } from 'execa';
import { endServer, startServer } from '../testing/own-server.ts';

/** What a change and a tick cost, and what is drawn while a film plays: requests, bytes, milliseconds, drawings. */

interface Answered {
  id: string;
}
interface VersionAnswer extends Answered {
  revision: number;
  framing: { stretches: { from: number; move: unknown }[] };
}

const median = (n: number[]) => {
  const sorted = [...n].sort((a, b) => a - b);
  return (sorted[Math.floor((n.length - 1) / 2)]! + sorted[Math.floor(n.length / 2)]!) / 2;
};
const wait = (ms: number) => new Promise((r) => setTimeout(r, ms));

/** So many places, each of a size of its own. */
const book = (count: number) => ({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'many',
      name: 'Manyfold',
      placements: Array.from({ length: count }, (_, i) => ({
        id: `many-${i}`,
        name: `Place ${i + 1}`,
        frame: { width: 180 + 2 * i, height: 320 },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
        audio: null,
      })),
    },
  ],
});

/**
 * Counts drawings by component: React tells a hook of every commit, and a component's fiber says whether it was drawn
 * in it. Names are kept by building the interface without shortening them.
 */
const countDrawings = () => {
  const drawn: Record<string, number> = {};
  interface Fiber {
    tag: number;
    flags: number;
    type: { name?: string; displayName?: string; type?: { name?: string } } | string | null;
    alternate: Fiber | null;
    child: Fiber | null;
    sibling: Fiber | null;
  }
  const performedWork = 1;
  const walk = (fiber: Fiber | null) => {
    for (let f = fiber; f; f = f.sibling) {
      // Functions, and functions in memo or forwardRef; a fiber without another self has just been made.
      const isComponent = f.tag === 0 || f.tag === 11 || f.tag === 14 || f.tag === 15;
      const type = typeof f.type === 'object' || typeof f.type === 'function' ? f.type : null;
      const name = type?.displayName ?? type?.name ?? type?.type?.name ?? '';
      if (isComponent && name && (f.flags & performedWork) !== 0) drawn[name] = (drawn[name] ?? 0) + 1;
      // What was not touched is the very same child as before.
      if (f.child && f.child !== f.alternate?.child) walk(f.child);
    }
  };
  Object.assign(window, {
    mivvyDrawn: drawn,
    __REACT_DEVTOOLS_GLOBAL_HOOK__: {
      renderers: new Map(),
      supportsFiber: true,
      inject: () => 1,
      onCommitFiberRoot: (_id: number, root: { current: Fiber }) => walk(root.current),
      onCommitFiberUnmount: () => undefined,
      onPostCommitFiberRoot: () => undefined,
    },
  });
};

/** What a page did between two moments. */
interface Spent {
  requests: number;
  bytes: number;
  scriptMs: number;
  drawn: [string, number][];
}

async function meter(page: Page, cdp: CDPSession) {
  let requests = 0;
  let bytes = 0;
  cdp.on('Network.requestWillBeSent', (event) => {
    const { url } = event.request;
    if (url.includes('/api/') && !url.includes('/media') && !url.includes('/stills/')) requests++;
  });
  cdp.on('Network.loadingFinished', (event) => (bytes += event.encodedDataLength));
  await cdp.send('Network.enable');
  await cdp.send('Performance.enable');
  const script = async () => {
    const { metrics } = await cdp.send('Performance.getMetrics');
    return 1000 * (metrics.find((m) => m.name === 'ScriptDuration')?.value ?? 0);
  };
  const drawings = () =>
    page.evaluate(() => ({ ...(window as unknown as { mivvyDrawn: Record<string, number> }).mivvyDrawn }));
  return async (work: () => Promise<unknown>): Promise<Spent> => {
    const [scriptBefore, drawnBefore] = [await script(), await drawings()];
    [requests, bytes] = [0, 0];
    await work();
    const drawnAfter = await drawings();
    const drawn = Object.entries(drawnAfter)
      .map(([name, n]): [string, number] => [name, n - (drawnBefore[name] ?? 0)])
      .filter(([, n]) => n > 0)
      .sort((a, b) => b[1] - a[1]);
    return { requests, bytes, scriptMs: (await script()) - scriptBefore, drawn };
  };
}

/** Measures on a data folder of its own below `dir`, and says what it found. */
export async function dataFlow(root: string, dir: string, say: (line: string) => void): Promise<void> {
  const dataDir = join(dir, 'data flow');
  const interfaceDir = join(dir, 'interface');
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await execa('npx', ['vite', 'build', '--minify', 'false', '--outDir', interfaceDir], {
    cwd: join(root, 'packages/web'),
  });
  // Ten minutes that are quickly made and read, and ten seconds for what is only listed.
  for (const [name, seconds] of [
    ['long.mp4', 600],
    ['short.mp4', 10],
  ])
    await execa('ffmpeg', [
      ...['-v', 'error', '-f', 'lavfi', '-i', `testsrc2=s=320x180:r=25:d=${seconds}`, '-c:v', 'libx264'],
      ...['-preset', 'ultrafast', '-g', '12', '-pix_fmt', 'yuv420p', join(dataDir, 'inbox', String(name))],
    ]);
  const { child, base } = await startServer(dataDir, {
    MIVVY_LOOKING: 'when-asked',
    MIVVY_INTERFACE: interfaceDir,
  });
  const call = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const answer = await fetch(`${base}/api${path}`, {
      method,
      ...(body === undefined
        ? {}
        : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
    });
    if (!answer.ok) throw new Error(`${method} ${path}: ${await answer.text()}`);
    return (await answer.json()) as T;
  };
  const timed = async (work: () => Promise<unknown>) => {
    const started = performance.now();
    await work();
    return performance.now() - started;
  };
  /** A production of some films with some versions each, read through and cut into a hundred shots. */
  const fill = async (films: number, places: number, film: 'long' | 'short') => {
    const { id } = await call<Answered>('POST', '/productions', { name: `${films * places} versions` });
    for (let n = 0; n < films; n++) {
      const master = await call<Answered>('POST', `/productions/${id}/masters`, {
        inboxFile: `inbox/${film}.mp4`,
      });
      for (;;) {
        const { masters } = await call<{
          masters: { id: string; sha256: string | null; shots: unknown; revision: number }[];
        }>('GET', `/productions/${id}`);
        const now = masters.find((m) => m.id === master.id)!;
        if (now.sha256 && now.shots) {
          await call('PATCH', `/masters/${master.id}/work`, {
            revision: now.revision,
            shots: Array.from({ length: 100 }, (_, n) => ({
              from: n * (film === 'long' ? 150 : 2),
              setup: String(n % 7),
            })),
          });
          break;
        }
        await wait(200);
      }
      await call('POST', `/productions/${id}/versions`, {
        masterId: master.id,
        placementIds: Array.from({ length: places }, (_, n) => `many-${n}`),
      });
    }
    return id;
  };
  const browser = await chromium.launch({
    executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run'],
  });
  try {
    await call('POST', '/spec-book/files', {
      fileName: 'many.specbook.json',
      text: JSON.stringify(book(60)),
    });
    const two = await fill(4, 50, 'short');
    const get = (id: string) => async () =>
      void (await (await fetch(`${base}/api/productions/${id}`)).text());
    await get(two)();
    const asked: number[] = [];
    for (let n = 0; n < 20; n++) asked.push(await timed(get(two)));
    const { versions } = await call<{ versions: VersionAnswer[] }>('GET', `/productions/${two}`);
    const changed: number[] = [];
    let { revision } = versions[0]!;
    for (let n = 0; n < 10; n++) {
      const framing = {
        version: 1,
        stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0.3 + n / 100, y: 0.5, zoom: 1 } } }],
      };
      ({ revision } = await call<VersionAnswer>('PATCH', `/versions/${versions[0]!.id}`, {
        revision,
        framing,
      }));
      changed.push(await timed(get(two)));
    }
    say(
      `production of 200 versions: answered in ${median(asked).toFixed(1)} ms (median of 20; limit of ours 10), just after a change in ${median(changed).toFixed(1)} ms`,
    );
    const fifty = await fill(1, 50, 'short');
    await get(fifty)();
    const crowd = await Promise.all(Array.from({ length: 200 }, () => timed(get(fifty))));
    say(
      `production of 50 versions asked for 200 times at once: median ${median(crowd).toFixed(0)} ms (limit of ours 300)`,
    );

    const sixty = await fill(1, 60, 'long');
    const { versions: made } = await call<{ versions: VersionAnswer[] }>('GET', `/productions/${sixty}`);
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    // The compiler that runs this file marks functions with a helper that a page does not have.
    await page.addInitScript({ content: 'globalThis.__name ??= (named) => named' });
    await page.addInitScript(countDrawings);
    await page.goto(`${base}/productions/${sixty}/framing/${made[0]!.id}`);
    await page.getByTestId('master-surface').waitFor();
    await wait(4000);
    const measure = await meter(page, await page.context().newCDPSession(page));
    const change = await measure(async () => {
      await page.keyboard.press('ArrowRight');
      await wait(2500);
    });
    say(
      `a framing change among 60 versions of ten minutes: ${change.requests} requests (limit of ours 3), ${(change.bytes / 1000).toFixed(0)} kB, ${change.scriptMs.toFixed(0)} ms of script`,
    );
    const seconds = 4;
    const playing = await measure(async () => {
      await page.keyboard.press('Space');
      await wait(seconds * 1000);
      await page.keyboard.press('Space');
    });
    say(
      `drawn per second while it plays on Framing: ${playing.drawn
        .map(([name, n]) => [name, Math.round(n / seconds)] as const)
        .filter(([, n]) => n > 0)
        .slice(0, 12)
        .map(([name, n]) => `${name} ${n}`)
        .join(', ')}; ${(playing.scriptMs / seconds).toFixed(0)} ms of script`,
    );
    await page.goto(`${base}/productions/${sixty}`);
    await wait(5000);
    await call('POST', `/productions/${sixty}/exports`, { versionIds: made.map((v) => v.id).slice(0, 6) });
    await wait(4000);
    const ticks = await measure(() => wait(seconds * 1000));
    say(
      `a second of an export’s ticks on a sheet of 60 versions: ${(ticks.requests / seconds).toFixed(1)} requests (limit of ours 0), ${(ticks.scriptMs / seconds).toFixed(0)} ms of script, drawn: ${ticks.drawn
        .map(([name, n]) => [name, Math.round(n / seconds)] as const)
        .filter(([, n]) => n > 0)
        .slice(0, 8)
        .map(([name, n]) => `${name} ${n}`)
        .join(', ')}`,
    );
  } finally {
    await browser.close();
    await endServer(child, 'SIGTERM');
  }
}
