import { createServer } from 'node:net';
import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';
import { execa } from 'execa';
import { plainFilm, quickBook } from './testing/helpers.ts';

const launcher = fileURLToPath(new URL('../mivvy', import.meta.url));
const run = (args: string[], options: { cwd?: string; env?: Record<string, string> } = {}) =>
  execa(launcher, args, { reject: false, stdin: 'ignore', ...options });

test('no command, a wrong one, and help', async () => {
  expect(await run([])).toMatchObject({
    exitCode: 0,
    stderr: expect.stringContaining('Usage: ./mivvy COMMAND'),
  });
  expect(await run(['fly'])).toMatchObject({ exitCode: 2 });
  expect(await run(['deliver', '--help'])).toMatchObject({
    exitCode: 0,
    stderr: expect.stringContaining('--placement ID'),
  });
});

test('deliver works from any folder, with spaces and relative paths, and needs no server', async () => {
  const dir = await mkdtemp(join(tmpdir(), 'some where '));
  const film = await plainFilm('from anywhere.mp4');
  await writeFile(join(dir, 'my book.json'), JSON.stringify(quickBook));
  const done = await run(
    [
      'deliver',
      '--master',
      film,
      '--specs',
      'my book.json',
      '--placement',
      'quick-square',
      '--out',
      'the files',
      '--at',
      '0,0.5',
      '--zoom',
      '1.5',
    ],
    { cwd: dir },
  );
  expect(done.exitCode).toBe(0);
  const lines = done.stdout
    .split('\n')
    .map((l) => JSON.parse(l) as { event: string; status?: string; sha256?: string });
  expect(lines.at(-1)).toMatchObject({
    event: 'deliverable',
    status: 'passed',
    sha256: expect.stringMatching(/^[0-9a-f]{64}$/),
  });
  expect(await readdir(join(dir, 'the files'))).toEqual(['from-anywhere_quick-square_360x360_25fps_v1.mp4']);
  await rm(dir, { recursive: true, force: true });
});

test('deliver interrupted from the keyboard ends with 130 and leaves no partial file', async () => {
  const dir = await mkdtemp(join(tmpdir(), 'mivvy interrupted '));
  const film = await plainFilm('interrupted.mp4', 30);
  await writeFile(join(dir, 'book.json'), JSON.stringify(quickBook));
  const child = execa(
    launcher,
    ['deliver', '--master', film, '--specs', 'book.json', '--placement', 'quick-tall', '--out', 'out'],
    { cwd: dir, reject: false, stdin: 'ignore' },
  );
  child.stdout.once('data', () => child.kill('SIGINT'));
  expect((await child).exitCode).toBe(130);
  expect(await readdir(join(dir, 'out'))).toEqual([]);
  await rm(dir, { recursive: true, force: true });
});

test('without ffmpeg, that is said in one sentence', async () => {
  const film = await plainFilm('no tool.mp4');
  const book = join(await mkdtemp(join(tmpdir(), 'mivvy no tool ')), 'book.json');
  await writeFile(book, JSON.stringify(quickBook));
  const done = await run(
    [
      'deliver',
      '--master',
      film,
      '--specs',
      book,
      '--placement',
      'quick-square',
      '--out',
      join(book, '..', 'out'),
    ],
    { env: { MIVVY_FFMPEG: '/nowhere/ffmpeg', MIVVY_FFPROBE: '/nowhere/ffprobe' } },
  );
  expect(done.exitCode).toBe(2);
  expect(done.stderr).toContain('ffmpeg is not on this machine');
});

test('start takes another port when its own is taken, and says so; a folder that cannot be used is said too', async () => {
  const taken = createServer().listen(0, '127.0.0.1');
  await new Promise((r) => taken.once('listening', r));
  const port = (taken.address() as { port: number }).port;
  const dataDir = await mkdtemp(join(tmpdir(), 'mivvy port '));
  const child = execa(launcher, ['start'], {
    reject: false,
    stdin: 'ignore',
    env: { MIVVY_PORT: String(port), MIVVY_DATA: dataDir },
  });
  let [said, complaints] = ['', ''];
  child.stderr.on('data', (chunk: Buffer) => (complaints += chunk.toString()));
  await new Promise<void>((resolve) => {
    child.stdout.on('data', (chunk: Buffer) => {
      said += chunk.toString();
      if (/Mivvy is at .*\n/.test(said)) resolve();
    });
    void child.then(() => resolve());
  });
  expect(said, complaints).toContain(`Port ${port} is taken, so another was chosen.`);
  const address = /http:\/\/127\.0\.0\.1:\d+/.exec(said)![0];
  expect((await fetch(`${address}/api/health`)).status).toBe(200);
  expect(await (await fetch(address)).text()).toContain('<div id="desk">');
  child.kill('SIGTERM');
  await child;
  taken.close();

  const bad = await run(['start'], { env: { MIVVY_DATA: '/proc/nowhere', MIVVY_PORT: '0' } });
  expect(bad.exitCode).toBe(2);
  expect(bad.stderr).toContain('The data folder /proc/nowhere cannot be used');
  expect(bad.stderr).not.toMatch(/^\s+at /m);
  const wrongPort = await run(['start'], { env: { MIVVY_DATA: dataDir, MIVVY_PORT: 'high' } });
  expect(wrongPort).toMatchObject({
    exitCode: 2,
    stderr: expect.stringContaining('MIVVY_PORT is not usable'),
  });
  await rm(dataDir, { recursive: true, force: true });
});
