import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fontFiles, type FontFile, type Shaper } from '@mivvy/core';
import { shaperOf } from '@mivvy/core/letters';

/** Where a file of letters lies on this machine. */
export const fontPath = ({ package: from, name }: FontFile): string =>
  createRequire(import.meta.url).resolve(`${from}/files/${name}`);

const shipped = fontFiles.map((file) => ({
  family: file.family,
  weight: file.weight,
  get bytes() {
    return readFileSync(fontPath(file));
  },
}));

let shaper: Shaper | undefined;

/** The shaper of the letters that ship; they are read once. */
export const shippedShaper = (): Shaper => (shaper ??= shaperOf(shipped));

/** A shaper of those and of some typefaces that are at hand, by their sums. */
export const shaperWithFiles = (files: ReadonlyMap<string, Uint8Array>): Shaper =>
  shaperOf(shipped, (sha256) => files.get(sha256));

/**
 * A shaper of those and of typefaces that somebody brought in, which are read when they are first asked for.
 *
 * @param pathOf where one lies, by its sum; whether it is there or not
 */
export const shaperWith = (pathOf: (sha256: string) => string): Shaper =>
  shaperOf(shipped, (sha256) => {
    const path = pathOf(sha256);
    return existsSync(path) ? readFileSync(path) : undefined;
  });
