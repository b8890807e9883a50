import { link, mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { markOf } from '../../packages/server/src/files/known-file.ts';
import { madeProduction } from '../../packages/server/src/testing/made.ts';
import { onRows, type Rows } from '../../packages/server/src/testing/rows.ts';
import { bookOf, testServer } from '../../packages/server/src/testing/server.ts';
import { endServer, startServer } from '../testing/own-server.ts';
import { peakMemory, type Bench } from './kit.ts';

/** A workspace of years: how its screens answer while many people have them open, and what the server needs for it. */

const [productions, versionsEach, places, people] = [1000, 50, 10, 200];
const asked = 60;

/** Columns of a copy that are another than the template's, as SQL over `n`, the number of the copy. */
type Otherwise = Readonly<Record<string, string>>;

/** Copies a row of a table so many times. */
async function copies(db: Rows, table: string, from: string, count: number, otherwise: Otherwise) {
  const { rows } = await db.execute(`select name from pragma_table_info('${table}')`);
  const names = rows.map((row) => String(row.name));
  await db.execute({
    sql: `with recursive numbers(n) as (select 0 union all select n + 1 from numbers where n + 1 < ${count})
      insert into ${table} (${names.map((name) => `"${name}"`).join()})
      select ${names.map((name) => otherwise[name] ?? `t."${name}"`).join()}
      from ${table} t, numbers where t.id = ?`,
    args: [from],
  });
}

/** One production with one file, made for real and copied: every row as a workspace of that size would have it. */
async function build(dataDir: string): Promise<void> {
  const server = await testServer({ dataDir });
  const book = { fileName: 'ten.specbook.json', text: bookOf(places, { width: 120, height: 120 }) };
  await server.call('POST', '/spec-book/files', book);
  const made = await madeProduction(
    server,
    Array.from({ length: places }, (_, i) => `place-${i}`),
  );
  await made.make();
  await server.stop(true);
  await onRows(join(dataDir, 'mivvy.sqlite'), async (db) => {
    const films = (productions * versionsEach) / made.versionIds.length;
    const production = `'p' || (n / ${films / productions})`;
    await copies(db, 'productions', made.id, productions, { id: "'p' || n", name: "'Production ' || n" });
    await copies(db, 'masters', made.masterId, films, { id: "'m' || n", production_id: production });
    for (const [i, versionId] of made.versionIds.entries()) {
      const at = `(n * ${made.versionIds.length} + ${i})`;
      await copies(db, 'versions', versionId, films, {
        id: `'version-' || ${at}`,
        production_id: production,
        master_id: "'m' || n",
        tag: `cast(${at} as text)`,
      });
      const { rows } = await db.execute({
        sql: 'select id from deliverables where version_id = ?',
        args: [versionId],
      });
      await copies(db, 'deliverables', String(rows[0]!.id), films, {
        id: `'d' || ${at}`,
        production_id: production,
        version_id: `'version-' || ${at}`,
        path: `'exports/' || ${production} || '/d' || ${at} || '.mp4'`,
        file_name: `'Film ' || ${at} || '.mp4'`,
        name_key: `'film ' || ${at} || '.mp4'`,
      });
    }
    await linkFiles(db, dataDir, made.id);
  });
}

/** Every row's file lies where it says: one file, under many names. */
async function linkFiles(db: Rows, dataDir: string, first: string): Promise<void> {
  const files = await db.execute('select path, bytes, production_id from deliverables');
  const made = new Map(
    files.rows.filter((row) => row.production_id === first).map((row) => [row.bytes, String(row.path)]),
  );
  for (const { path, bytes, production_id: production } of files.rows) {
    if (production === first) continue;
    const to = join(dataDir, String(path));
    await mkdir(join(to, '..'), { recursive: true });
    await link(join(dataDir, made.get(bytes)!), to);
  }
  // A name more is a change of the file, too, which nothing of years would be.
  for (const [bytes, path] of made) {
    const { changedMs } = (await markOf(join(dataDir, path)))!;
    await db.execute({
      sql: `update deliverables set mark = json_set(mark, '$.value.changedMs', json(?)) where bytes = ?`,
      args: [`${changedMs}`, bytes!],
    });
  }
}

/** The middle, and what all but one of twenty stay below. */
const spread = (times: readonly number[]) => {
  const sorted = [...times].sort((a, b) => a - b);
  const pick = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]!;
  return `${pick(0.5).toFixed(0)} ms in the middle, ${pick(0.95).toFixed(0)} ms for 19 of 20`;
};

export async function largeWorkspace({ dir, say }: Bench): Promise<void> {
  const dataDir = join(dir, 'large');
  await build(dataDir);
  const started = performance.now();
  const server = await startServer(dataDir, { MIVVY_LOOKING: 'when-asked', MIVVY_REVIEW_PORT: '0' });
  say(
    `${productions} productions, ${productions * versionsEach} deliverables with a file each; started after ${((performance.now() - started) / 1000).toFixed(1)} s`,
  );
  const open = new AbortController();
  try {
    for (let i = 0; i < people; i++) {
      const stream = await fetch(`${server.base}/api/events?window=w${i}`, { signal: open.signal });
      void stream.body!.pipeTo(new WritableStream()).catch(() => undefined);
    }
    const timed = async (path: string, init?: RequestInit) => {
      const begun = performance.now();
      const answer = await fetch(`${server.base}/api${path}`, init);
      await answer.arrayBuffer();
      if (!answer.ok) throw new Error(`${path}: ${answer.status}`);
      return performance.now() - begun;
    };
    say(`  all standings worked out for the first time: ${(await timed('/ledger?count=100')).toFixed(0)} ms`);
    const kinds: [string, (n: number) => string][] = [
      ['the ledger’s first rows', () => '/ledger?count=100'],
      ['further down', (n) => `/ledger?count=100&from=${n * 700}`],
      ['sorted by name', (n) => `/ledger?order=name&count=100&from=${n * 50}`],
      ['in groups', () => '/ledger?group=production&count=100'],
      ['searched', (n) => `/ledger?search=production%20${n}&count=100`],
      ['searched for what all have', () => '/ledger?search=quick&count=100'],
      ['searched for what half have', (n) => `/ledger?search=${n % 10}&count=100`],
      ['home', () => '/productions'],
      ['what needs somebody', () => '/attention'],
      ['one production', (n) => `/productions/p${n * 7}`],
      ['room on the disk', () => '/room'],
    ];
    for (const [what, path] of kinds) {
      const times: number[] = [];
      for (let n = 0; n < asked; n++) times.push(await timed(path(n)));
      say(`  ${what}, with ${people} people’s event streams open: ${spread(times)}`);
    }
    const changes: number[] = [];
    for (let n = 0; n < 20; n++) {
      const versionId = `version-${n * 100}`;
      const body = JSON.stringify({ versionIds: [versionId], holder: `Person ${n}` });
      const change = { method: 'PATCH', headers: { 'Content-Type': 'application/json' }, body };
      const { productionId } = (await (await fetch(`${server.base}/api/versions/${versionId}`)).json()) as {
        productionId: string;
      };
      changes.push(await timed(`/productions/${productionId}/tracking`, change));
      changes.push(await timed('/ledger?count=100'));
    }
    say(`  a change, and the ledger after it: ${spread(changes)}`);
    say(
      `  the server’s highest memory ÷ the limit of 600 MB: ${((await peakMemory(server.child.pid!)) / 600e6).toFixed(2)}`,
    );
  } finally {
    open.abort();
    await endServer(server.child, 'SIGTERM');
  }
}
