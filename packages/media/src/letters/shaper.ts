import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fontFiles, type FontFile, type Shaper } from '@mivvy/core';
import { shaperOf } from '@mivvy/core/letters';

/** Where a file of letters lies on this machine. */
export const fontPath = ({ package: from, name }: FontFile): string =>
  createRequire(import.meta.url).resolve(`${from}/files/${name}`);

let shaper: Shaper | undefined;

/** The shaper of the letters that ship; they are read once. */
export function shippedShaper(): Shaper {
  shaper ??= shaperOf(
    fontFiles.map((file) => ({
      family: file.family,
      weight: file.weight,
      get bytes() {
        return readFileSync(fontPath(file));
      },
    })),
  );
  return shaper;
}
