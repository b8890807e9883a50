import { expect, test } from '@jest/globals';
import { mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PatientLog } from './patient-log.ts';

test('lines that cannot be written wait without anybody waiting, and those that are too many are counted', async () => {
  const dir = await mkdtemp(join(tmpdir(), 'mivvy log '));
  // Its folder is not there yet, as on a disk that refuses.
  const file = join(dir, 'logs', 'server.log');
  const log = new PatientLog(file);
  const started = Date.now();
  for (let n = 0; n < 30_000; n++) log.write(`{"n":${n},"words":"${'x'.repeat(60)}"}\n`);
  await log.flush(50);
  expect(Date.now() - started).toBeLessThan(5000);
  await mkdir(join(dir, 'logs'));
  let lines: string[] = [];
  while (lines.length < 2) {
    log.write('{"n":"last"}\n');
    await new Promise((resolve) => setTimeout(resolve, 200));
    lines = (await readFile(file, 'utf8').catch(() => '')).trim().split('\n');
  }
  expect(lines[0]).toMatch(/\d+ lines were left out while the disk was full/);
  expect(JSON.parse(lines[1]!)).toMatchObject({ n: 0 });
  await rm(dir, { recursive: true, force: true });
});
