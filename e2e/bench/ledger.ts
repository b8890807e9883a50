import { join } from 'node:path';
import { heldFraming } from '../../packages/core/src/index.ts';
import { happenings, masters, productions, versions } from '../../packages/server/src/db/schema.ts';
import { testServer } from '../../packages/server/src/testing/server.ts';

/** How long the ledger's answers take with 5,000 deliverables in 60 productions, and home's with 200 productions. */

const [withVersions, inEach, all] = [60, 84, 200];
const asked = 60;
const id = (kind: string, ...n: number[]) =>
  `${kind}-${n.map((each) => String(each).padStart(4, '0')).join('-')}`;
const day = (n: number) => new Date(Date.UTC(2026, 0, 1 + (n % 365))).toISOString().slice(0, 10);
const at = '2026-01-01T12:00:00.000Z';

/** The middle, and what all but one of twenty stay below. */
const spread = (times: number[]) => {
  const sorted = [...times].sort((a, b) => a - b);
  const pick = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]!;
  return `${pick(0.5).toFixed(0)} ms in the middle, ${pick(0.95).toFixed(0)} ms for 19 of 20`;
};

export async function ledgerSpeed(dir: string, say: (line: string) => void): Promise<void> {
  const server = await testServer({ dataDir: join(dir, 'ledger') });
  const { ws } = server;
  const places = ws.specs.outlets.flatMap((outlet) => outlet.placements.map((placement) => placement.id));
  await ws.db.transaction(async (tx) => {
    for (let p = 0; p < all; p++) {
      const of = { id: id('prod', p), createdAt: at, updatedAt: at };
      await tx.insert(productions).values({ ...of, name: `Production ${p}`, client: `Client ${p % 17}` });
      if (p >= withVersions) continue;
      for (let v = 0; v < inEach; v++) {
        const placementId = places[v % places.length]!;
        const masterId = id('mast', p, Math.floor(v / places.length));
        if (v % places.length === 0)
          await tx.insert(masters).values({
            id: masterId,
            productionId: of.id,
            name: `Film ${v}`,
            fileName: `film ${v}.mp4`,
            origin: 'upload',
            path: 'nowhere',
            bytes: 1,
            state: 'reading',
            proxy: 'not-needed',
            createdAt: at,
          });
        const versionId = id('vers', p, v);
        await tx.insert(versions).values({
          id: versionId,
          productionId: of.id,
          masterId,
          placementId,
          tag: String(v),
          framing: heldFraming(),
          revision: 1,
          dueOn: day(p * 7 + v),
          holder: v % 3 ? `Person ${v % 9}` : '',
          createdAt: at,
          updatedAt: at,
        });
        await tx.insert(happenings).values({
          at,
          by: '',
          productionId: of.id,
          versionId,
          what: { kind: 'due', day: day(v) },
        });
      }
    }
  });
  const timed = async (path: string) => {
    const started = performance.now();
    const answer = await fetch(`${server.base}/api${path}`);
    await answer.arrayBuffer();
    if (!answer.ok) throw new Error(`${path}: ${answer.status}`);
    return performance.now() - started;
  };
  say(`Ledger of ${withVersions * inEach} deliverables in ${withVersions} of ${all} productions`);
  say(`  all standings worked out for the first time: ${(await timed('/ledger?count=100')).toFixed(0)} ms`);
  const kinds: [string, (n: number) => string][] = [
    ['first rows', () => '/ledger?count=100'],
    ['sorted by name', (n) => `/ledger?order=name&count=100&from=${n * 50}`],
    ['by what happened last', (n) => `/ledger?order=last&descending=true&count=100&from=${n * 50}`],
    [
      'in groups, three of them folded',
      (n) =>
        `/ledger?group=production&count=100&${[n, n + 1, n + 2].map((p) => `folded=${id('prod', p % withVersions)}`).join('&')}`,
    ],
    ['searched', (n) => `/ledger?search=client%20${n % 17}&count=100`],
    ['filtered', (n) => `/ledger?holder=Person%20${n % 9}&stages=planned&count=100`],
    ['home', () => '/productions'],
    ['what needs somebody', () => '/attention'],
  ];
  for (const [what, path] of kinds) {
    const times: number[] = [];
    for (let n = 0; n < asked; n++) times.push(await timed(path(n)));
    say(`  ${what}: ${spread(times)}`);
  }
  await server.stop();
}
