import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { demoFilms, makeFilm, makeTextless, textlessFile } from './film/make.ts';

/** Which films the generator would make now: a hash of its own sources, so that a changed film is made anew. */
async function generatorHash(): Promise<string> {
  const dir = fileURLToPath(new URL('./film/', import.meta.url));
  const hash = createHash('sha256');
  for (const file of (await readdir(dir)).sort())
    if (!file.includes('.test.')) hash.update(await readFile(join(dir, file)));
  return hash.digest('hex').slice(0, 12);
}

/** Makes the demo's films if they are not there yet, and prints the folder that they lie in. */
const root = process.argv[2];
if (!root) throw new Error('which folder do the films go to?');
const dir = join(root, await generatorHash());
await mkdir(dir, { recursive: true });
const missing = demoFilms.filter((film) => !existsSync(join(dir, film.file)));
if (missing.length) process.stderr.write(`Drawing the demo film (once, about two minutes) …\n`);
for (const film of missing) {
  const started = Date.now();
  await makeFilm(film, join(dir, film.file));
  process.stderr.write(`  ${film.file}, ${((Date.now() - started) / 1000).toFixed(0)} s\n`);
}
const textless = join(dir, textlessFile);
if (!existsSync(textless)) await makeTextless(join(dir, demoFilms[0]!.file), textless);
// Films of older generators are of no use any more, unless a production still points at them.
for (const other of await readdir(root)) {
  if (join(root, other) !== dir && !existsSync(join(root, '..', 'mivvy.sqlite')))
    await rm(join(root, other), { recursive: true, force: true });
}
process.stdout.write(`${dir}\n`);
