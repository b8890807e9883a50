import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import sanitize from 'sanitize-filename';
import writeFileAtomic from 'write-file-atomic';
import {
  fail,
  findPlacement,
  ok,
  readSpecBook,
  type Outlet,
  type PlacedOutlet,
  type Problem,
  type Result,
} from '@mivvy/core';

const ending = '.specbook.json';
const starterFile = fileURLToPath(new URL('../../core/data/starter.specbook.json', import.meta.url));

/** The spec book: every `*.specbook.json` in the data folder's `specs`, read together. */
export class SpecLibrary {
  outlets: Outlet[] = [];
  refused: { file: string; problem: Problem }[] = [];
  /** Grows whenever the book was read anew. */
  edition = 0;

  private constructor(private readonly dir: string) {}

  /** Opens the library; the first time, the starter formats are laid in it. */
  static async open(dir: string): Promise<SpecLibrary> {
    const library = new SpecLibrary(dir);
    if (!(await readdir(dir)).some((file) => file.endsWith(ending))) {
      await library.write(`starter${ending}`, await readFile(starterFile, 'utf8'));
    }
    await library.load();
    return library;
  }

  /** A placement by its id, wherever it stands. */
  find(placementId: string): PlacedOutlet | undefined {
    return findPlacement(this.outlets, placementId);
  }

  /** Takes a file into the book, or replaces the one of the same name. A file with a fault changes nothing. */
  async add(fileName: string, text: string): Promise<Result<void>> {
    const name = `${sanitize(fileName.replace(/(\.specbook)?\.json$/i, '')) || 'outlets'}${ending}`;
    const read = readSpecBook(text, fileName);
    if (!read.ok) return read;
    const others = await this.readFiles((file) => file !== name);
    const clash = clashOf(others.outlets, read.value.outlets);
    if (clash)
      return fail(
        'spec-book-clash',
        `${fileName} was not taken: ${clash}.`,
        'Give it an id of its own, or name the file as the one that it replaces.',
      );
    await this.write(name, text);
    await this.load();
    return ok(undefined);
  }

  private async load(): Promise<void> {
    const { outlets, refused } = await this.readFiles(() => true);
    this.outlets = outlets;
    this.refused = refused;
    this.edition++;
  }

  private async readFiles(wanted: (file: string) => boolean) {
    const outlets: Outlet[] = [];
    const refused: SpecLibrary['refused'] = [];
    for (const file of (await readdir(this.dir)).filter((f) => f.endsWith(ending) && wanted(f)).sort()) {
      const read = readSpecBook(await readFile(join(this.dir, file), 'utf8'), file);
      const clash = read.ok ? clashOf(outlets, read.value.outlets) : undefined;
      if (!read.ok) refused.push({ file, problem: read.problem });
      else if (clash)
        refused.push({
          file,
          problem: {
            code: 'spec-book-clash',
            sentence: `${file} was left out: ${clash}.`,
            mend: 'Give it an id of its own.',
          },
        });
      else for (const outlet of read.value.outlets) outlets.push(outlet);
    }
    return { outlets, refused };
  }

  private async write(name: string, text: string): Promise<void> {
    await writeFileAtomic(join(this.dir, name), text);
  }
}

/** The first id that two sets of outlets both use. */
function clashOf(known: readonly Outlet[], added: readonly Outlet[]): string | undefined {
  const outletIds = new Set(known.map((o) => o.id));
  for (const outlet of added) {
    if (outletIds.has(outlet.id)) return `the outlet id “${outlet.id}” is already in the book`;
    for (const placement of outlet.placements) {
      if (findPlacement([...known], placement.id))
        return `the placement id “${placement.id}” is already in the book`;
    }
  }
  return undefined;
}
