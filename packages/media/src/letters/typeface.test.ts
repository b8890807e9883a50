import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { fontFiles, type OwnFace } from '@mivvy/core';
import { fontPath, shaperWithFiles, shippedShaper } from './shaper.ts';
import { readTypeface } from './typeface.ts';

/** A file that ships, brought in as if somebody had it of their own. */
const bytesOf = (name: string) => readFileSync(fontPath(fontFiles.find((file) => file.name === name)!));
const serif = bytesOf('noto-serif-latin-800-normal.woff2');
const read = (bytes: Uint8Array, name = 'House.woff2') => readTypeface(bytes, name);
const faceOf = (bytes: Uint8Array): OwnFace => {
  const face = read(bytes);
  if (!face.ok) throw new Error(face.problem.sentence);
  return face.value;
};

describe('a typeface of somebody’s own', () => {
  const face = faceOf(serif);
  const shaper = shaperWithFiles(new Map([[face.own, serif]]));
  test('is called what its file calls itself', () => {
    expect(face.name).toMatch(/Noto Serif/);
    expect(face.own).toMatch(/^[0-9a-f]{64}$/);
  });
  test('sets words as the same file does that ships', () => {
    const shipped = shippedShaper().shape('Kite Weekend, office', { family: 'Noto Serif', weight: 800 });
    expect(shaper.shape('Kite Weekend, office', face)).toEqual(shipped);
    // Not what would be drawn without it.
    expect(shippedShaper().shape('Kite Weekend, office', face).width).not.toBeCloseTo(shipped.width, 3);
  });
  test('leaves letters that it lacks to those that ship, and says which nobody has', () => {
    const mixed = 'Kite שלום';
    const plain = shippedShaper();
    expect(shaper.shape('שלום', face)).toEqual(plain.shape('שלום', { family: 'Noto Sans', weight: 600 }));
    expect(shaper.missing(mixed, face)).toEqual([]);
    expect(shaper.missing('Kite 漢', face)).toEqual(['漢']);
  });
});

test.each([
  ['no-typeface', new TextEncoder().encode('not a typeface at all'), 'notes.txt'],
  ['no-typeface', new Uint8Array(), 'empty.ttf'],
  ['several-typefaces', new TextEncoder().encode('ttcf and more'), 'House.ttc'],
  ['broken-typeface', serif.subarray(0, 900), 'cut off.woff2'],
  ['broken-typeface', new TextEncoder().encode('OTTO'), 'House.otf'],
  ['typeface-too-large', Buffer.concat([serif.subarray(0, 4), Buffer.alloc(24_000_000)]), 'huge.woff2'],
])('%s: refused in a sentence that names the file', (code, bytes, name) => {
  const face = read(bytes, name);
  expect(face).toMatchObject({ ok: false, problem: { code } });
  expect(!face.ok && face.problem.sentence).toContain(name);
});

test('a damaged typeface is refused or sets what it can, and never brings anything down', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(serif.length - 1), fc.nat(255)), { minLength: 1, maxLength: 40 }),
      (faults) => {
        const bytes = Uint8Array.from(serif);
        for (const [at, value] of faults) bytes[at] = value;
        const face = read(bytes);
        if (!face.ok) return;
        const line = shaperWithFiles(new Map([[face.value.own, bytes]])).shape('Kite Weekend', face.value);
        expect(line.width).toEqual(expect.any(Number));
      },
    ),
    { numRuns: 80 },
  );
});
