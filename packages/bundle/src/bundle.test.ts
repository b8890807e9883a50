import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdir, mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { execa } from 'execa';

const runner = fileURLToPath(new URL('./run.mjs', import.meta.url));
let dir: string;
const at = (...names: string[]) => join(dir, ...names);
const bundleOf = () => at('dist', 'bundles', 'src-main.mjs');

beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy bundle '));
  await mkdir(at('src', 'words'), { recursive: true });
  await writeFile(at('package.json'), '{"type": "module"}');
  // TypeScript, a module of its own beside it, its own address, one of Node's modules, and its arguments.
  await writeFile(
    at('src', 'main.ts'),
    `import { basename } from 'node:path';
     import { word } from './words/word.ts';
     const told: string[] = [word, basename(import.meta.url), ...process.argv.slice(2)];
     console.log(told.join(' '));`,
  );
  await say('first');
});
afterAll(() => rm(dir, { recursive: true, force: true }));

const say = (word: string) =>
  writeFile(
    at('src', 'words', 'word.ts'),
    `export const word: string = '${word} in ' + import.meta.url.split('/').at(-2);`,
  );
const run = async (...args: string[]) =>
  (await execa('node', [runner, ...args], { env: { NODE_OPTIONS: '' } })).stdout;

test('a program runs with its arguments, and each of its modules knows its own address', async () => {
  expect(await run(at('src', 'main.ts'), 'one', '--two')).toBe('first in words main.ts one --two');
});

test('what did not change is not bundled again, and what did is', async () => {
  const before = await stat(bundleOf());
  expect(await run(at('src', 'main.ts'))).toBe('first in words main.ts');
  expect((await stat(bundleOf())).mtimeMs).toBe(before.mtimeMs);
  await say('second');
  expect(await run(at('src', 'main.ts'))).toBe('second in words main.ts');
  // A bundle that is gone is made again.
  await rm(bundleOf());
  expect(await run(at('src', 'main.ts'))).toBe('second in words main.ts');
  expect(await readFile(bundleOf(), 'utf8')).toContain('second');
});

test('a program that is a bundle itself bundles another, and finds it fresh the next time', async () => {
  const bundler = fileURLToPath(new URL('./bundle.mjs', import.meta.url));
  await writeFile(at('src', 'helper.ts'), `console.log(import.meta.url.split('/').slice(-2).join('/'));`);
  await writeFile(
    at('src', 'starts.ts'),
    `import { bundled } from ${JSON.stringify(bundler)};
     await import((await bundled(new URL('./helper.ts', import.meta.url))).href);`,
  );
  expect(await run(at('src', 'starts.ts'))).toBe('src/helper.ts');
  const made = await stat(at('dist', 'bundles', 'src-helper.mjs.json'));
  expect(await run(at('src', 'starts.ts'))).toBe('src/helper.ts');
  expect((await stat(at('dist', 'bundles', 'src-helper.mjs.json'))).mtimeMs).toBe(made.mtimeMs);
});

test('one program before another', async () => {
  await writeFile(at('src', 'before.ts'), `process.argv.push('after what came before');`);
  expect(await run('--before', at('src', 'before.ts'), at('src', 'main.ts'))).toBe(
    'second in words main.ts after what came before',
  );
});

test('a mistake in a program is told with its place, as the loader tells it', async () => {
  const wrong = at('src', 'wrong.ts');
  await writeFile(wrong, 'const = 1;');
  const { exitCode, stderr } = await execa('node', [runner, wrong], {
    reject: false,
    env: { NODE_OPTIONS: '' },
  });
  expect(exitCode).toBe(1);
  expect(stderr).toContain(pathToFileURL(wrong).pathname.split('/').at(-1));
});

test('where nothing can be written, it runs all the same', async () => {
  await rm(at('dist'), { recursive: true });
  await writeFile(at('dist'), 'no folder');
  expect(await run(at('src', 'main.ts'), 'three')).toBe('second in words main.ts three');
});
