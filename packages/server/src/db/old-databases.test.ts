import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { gunzipSync } from 'node:zlib';
import { createClient } from '@libsql/client';
import { expect, test } from '@jest/globals';
import { getTableColumns, is } from 'drizzle-orm';
import { SQLiteTable } from 'drizzle-orm/sqlite-core';
import { testServer } from '../testing/server.ts';
import * as schema from './schema.ts';

const fixtures = fileURLToPath(new URL('fixtures', import.meta.url));
const databases = (await readdir(fixtures)).filter((name) => name.endsWith('.db.gz'));
const tables = Object.entries(schema).flatMap(([name, table]) =>
  is(table, SQLiteTable) ? [[name, table] as const] : [],
);

/** Columns that were called otherwise in an earlier release: today's name, then the old one. */
const calledBefore: Record<string, string> = { file_generation: 'take', export_number: 'making' };
/** Columns that are worked out anew when a database is opened or looked at, so that they need not say what they said. */
const workedOut = new Set(['revision', 'standing', 'planned_with', 'on_disk', 'name_key', 'updated_at']);

/** Values whose shape has changed since: lines of reports have ids now. */
function upgraded(key: string, value: unknown): unknown {
  if (key !== 'report') return value;
  const report = value as { checks: { name: string }[] };
  return {
    ...report,
    checks: report.checks.map((line) => ({ ...line, id: expect.stringMatching(/^[a-z-]+$/) })),
  };
}

test('there is a database of every release before', () => {
  expect(databases).toEqual(['first-half.db.gz']);
});

const bookTables = new Set(['outlets', 'placements', 'placementRevisions']);

test.each(databases)(
  '%s opens, with everything that is in it',
  async (name) => {
    const dir = await mkdtemp(join(tmpdir(), 'mivvy old '));
    const file = join(dir, 'mivvy.sqlite');
    await writeFile(file, gunzipSync(await readFile(join(fixtures, name))));
    const old = createClient({ url: pathToFileURL(file).href });
    const before = new Map<string, Record<string, unknown>[]>();
    // Tables that have come since were not there to hold anything.
    const there = new Set(
      (await old.execute("select name from sqlite_master where type = 'table'")).rows.map((row) => row.name),
    );
    for (const [table] of tables)
      before.set(
        table,
        there.has(table) ? ((await old.execute(`select * from ${table} order by rowid`)).rows as never) : [],
      );
    old.close();
    const s = await testServer({ dataDir: dir });
    try {
      let compared = 0;
      for (const [table, columns] of tables) {
        // The book was kept in files before: what stands in its tables was written when the folder was opened.
        if (!there.has(table) && bookTables.has(table)) continue;
        // Drizzle reads every column by its codec: what it does not understand it throws.
        const rows = (await s.ws.db.select().from(columns).orderBy()) as Record<string, unknown>[];
        expect([table, rows.length]).toEqual([table, before.get(table)!.length]);
        rows.forEach((row, i) => {
          const was = before.get(table)![i]!;
          for (const [key, column] of Object.entries(getTableColumns(columns))) {
            const oldName = column.name in was ? column.name : calledBefore[column.name];
            if (workedOut.has(column.name) || oldName === undefined || !(oldName in was)) continue;
            const value = was[oldName];
            const isJson = column.getSQLType() === 'text' && typeof row[key] === 'object' && value !== null;
            const plain = typeof row[key] === 'boolean' ? value === 1 : value;
            const expected = isJson ? upgraded(key, JSON.parse(value as string)) : plain;
            expect([table, i, key, row[key]]).toEqual([table, i, key, expected]);
            compared++;
          }
        });
      }
      expect(compared).toBeGreaterThan(300);
      // Its films and files were not kept with it: that is what it says of them.
      const [production] = await s.ws.db.select().from(schema.productions);
      const detail = await s.detail(production!.id);
      // A keep that a window cuts is a fault that every screen tells of now.
      expect(detail.versions.map((v) => v.standing)).toEqual([
        'changed-on-disk',
        'at-fault',
        'to-make',
        'changed-on-disk',
        'at-fault',
        'at-fault',
        'to-make',
        'to-make',
      ]);
      expect(detail.masters.map((m) => [m.file, m.cuts.length, m.keeps.length])).toEqual([
        ['gone', 1, 1],
        ['gone', 0, 0],
      ]);
      // What could be taken back still can.
      const undone = await s.call('POST', `/versions/${detail.versions[0]!.id}/undo`);
      expect(undone.status).toBe(200);
    } finally {
      await s.stop(true);
      await rm(dir, { recursive: true, force: true });
    }
  },
  150_000,
);
