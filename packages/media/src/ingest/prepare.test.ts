import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { chmod, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { MasterFacts } from '@mivvy/core';
import { forgetTools } from '../ffmpeg/locate.ts';
import { factsOf, ffmpeg, testFolder } from '../testing/helpers.ts';
import { prepareFilm, type PreparedPart } from './prepare.ts';

let dir: string;
let clean: () => Promise<void>;
let film: string;
let facts: MasterFacts;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'scenes.mp4');
  const scenes = [
    ...[
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=320x180:r=25:d=3',
      '-f',
      'lavfi',
      '-i',
      'smptebars=s=320x180:r=25:d=3',
    ],
    ...['-filter_complex', '[0][1]concat,format=yuv420p'],
  ];
  await ffmpeg(...scenes, '-c:v', 'libx264', '-preset', 'ultrafast', film);
  facts = await factsOf(film);
});
afterAll(() => clean());

/** Looks for a film's shots and nothing else; how often it began to, and what came of it. */
async function lookForShots(): Promise<{ begun: number; parts: PreparedPart[] }> {
  const parts: PreparedPart[] = [];
  let begun = 0;
  const prepared = await prepareFilm(
    film,
    { facts, sha256: 'a'.repeat(64), shots: null, find: true, measure: false, copy: 'no' },
    {
      stillPath: (frame) => join(dir, `${frame}.jpg`),
      proxyPath: join(dir, 'copy.mp4'),
      take: (part) => Promise.resolve(void parts.push(part)),
      progress: (stage, fraction) => {
        if (stage === 'finding shots' && fraction === 0) begun++;
      },
      signal: new AbortController().signal,
    },
  );
  expect(prepared.ok).toBe(true);
  return { begun, parts };
}

describe('a decoder that is killed while shots are looked for', () => {
  /** Has another program in ffmpeg's place, which is killed so many times when it is to give small pictures. */
  async function killed(times: number): Promise<void> {
    const tool = join(dir, 'ffmpeg that is killed');
    const count = join(dir, 'killed');
    await writeFile(count, '');
    const script = [
      '#!/bin/sh',
      `case "$*" in *pipe:1*) if [ "$(wc -c < '${count}')" -lt ${times} ]; then printf x >> '${count}'; kill -9 $$; fi;; esac`,
      'exec ffmpeg "$@"',
    ];
    await writeFile(tool, `${script.join('\n')}\n`);
    await chmod(tool, 0o755);
    forgetTools();
    process.env.MIVVY_FFMPEG = tool;
  }
  afterEach(async () => {
    delete process.env.MIVVY_FFMPEG;
    forgetTools();
    await rm(join(dir, 'killed'), { force: true });
  });

  test('once: they are looked for again, and found', async () => {
    await killed(1);
    const { begun, parts } = await lookForShots();
    expect(begun).toBe(2);
    const [first] = parts;
    expect(first?.part === 'shots' && first.found?.shots.map((shot) => shot.from)).toEqual([0, 75]);
    expect(parts.filter(({ part }) => part === 'still')).toHaveLength(2);
  });

  test('each time: none were found, which is told, and the film is prepared as far as it can be', async () => {
    await killed(9);
    const { begun, parts } = await lookForShots();
    expect(begun).toBe(2);
    expect(await readFile(join(dir, 'killed'), 'utf8')).toBe('xx');
    expect(parts.map(({ part }) => part)).toEqual(['shots', 'still']);
    expect(parts[0]).toEqual({ part: 'shots', found: null });
  });
});
