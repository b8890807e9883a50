import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Loudness } from '@mivvy/core';
import { measureLoudness } from '../ingest/loudness.ts';
import { ffmpeg, testFolder } from '../testing/helpers.ts';

/**
 * EBU Tech 3341, “Loudness metering: EBU mode”, table 1, measuring ITU-R BS.1770: what a meter must read of made
 * signals. Levels are of a sine's peak, as the document gives them.
 */
let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

const peakOf = (dbfs: number) => 10 ** (dbfs / 20);
const tone = (amplitude: number | string, hz = 1000, degrees = 0) =>
  `(${amplitude})*sin(2*PI*${hz}*t+${(degrees * Math.PI) / 180})`;

/** A level that changes at given times: `[dBFS, seconds]` one after the other. */
function stepped(parts: readonly [number, number][]): { amplitude: string; seconds: number } {
  let seconds = 0;
  const terms = parts.map(([dbfs, length]) => {
    const from = seconds;
    seconds += length;
    return `${peakOf(dbfs)}*gte(t,${from})*lt(t,${seconds})`;
  });
  return { amplitude: terms.join('+'), seconds };
}

async function read(
  name: string,
  channels: readonly string[],
  seconds: number,
  layout: string,
  filter?: string,
) {
  const path = join(dir, `${name}.wav`);
  await ffmpeg(
    ...['-f', 'lavfi', '-i', `aevalsrc='${channels.join('|')}':s=48000:c=${layout}:d=${seconds}`],
    ...(filter ? ['-af', filter] : []),
    ...['-c:a', 'pcm_f32le', path],
  );
  const measured = await measureLoudness(path, 0);
  if (!measured.ok) throw new Error(measured.problem.sentence);
  return measured.value satisfies Loudness;
}

describe('integrated loudness and its gates, tests 3 to 6: −23.0 ± 0.1 LUFS', () => {
  test.each<[number, [number, number][]]>([
    [
      3,
      [
        [-36, 10],
        [-23, 60],
        [-36, 10],
      ],
    ],
    [
      4,
      [
        [-72, 10],
        [-36, 10],
        [-23, 60],
        [-36, 10],
        [-72, 10],
      ],
    ],
    [
      5,
      [
        [-26, 20],
        [-20, 20.1],
        [-26, 20],
      ],
    ],
  ])(
    'test %i, stereo',
    async (number, parts) => {
      const { amplitude, seconds } = stepped(parts);
      const heard = await read(`gate ${number}`, [tone(amplitude), tone(amplitude)], seconds, 'stereo');
      expect(Math.abs(heard.integratedLufs! + 23)).toBeLessThanOrEqual(0.1 + 1e-9);
    },
    150_000,
  );

  test('test 6, five channels, the rear ones weighted', async () => {
    const channels = [-28, -28, -24, -30, -30].map((dbfs) => tone(peakOf(dbfs)));
    const heard = await read('five', channels, 20, '5.0');
    expect(Math.abs(heard.integratedLufs! + 23)).toBeLessThanOrEqual(0.1 + 1e-9);
  }, 150_000);
});

describe('true peak, tests 15 to 19: as told, +0.2 and −0.4 dB', () => {
  test.each([
    [15, 12_000, 0, 0.5, -6],
    [16, 12_000, 45, 0.5, -6],
    [17, 8_000, 60, 0.5, -6],
    [18, 6_000, 67.5, 0.5, -6],
    [19, 12_000, 45, 1.41, 3],
  ])(
    'test %i: %i Hz at %i° and %f of full scale reads %f dBTP',
    async (number, hz, degrees, amplitude, dbtp) => {
      // Faded in and out: a tone that starts at once has peaks of its own at its ends.
      const fade = 'afade=t=in:d=0.2,afade=t=out:st=1.8:d=0.2';
      const channel = tone(amplitude, hz, degrees);
      const { truePeakDbtp } = await read(`peak ${number}`, [channel, channel], 2, 'stereo', fade);
      expect(truePeakDbtp!).toBeGreaterThanOrEqual(dbtp - 0.4 - 1e-9);
      expect(truePeakDbtp!).toBeLessThanOrEqual(dbtp + 0.2 + 1e-9);
    },
  );
});

/**
 * After tests 20 to 23, whose signals the document has as files and not in words: one band-limited wave taken at four
 * places between two samples must read the same true peak from each. Ours is a quiet tone in which a loud one swells up
 * (Gaussian in time, so that it ends far below half of the sampling rate); its peak is known from the formula.
 */
describe('true peak whatever the phase of sampling, after tests 20 to 23: +0.2 and −0.4 dB', () => {
  const rate = 48_000;
  const seconds = 2;
  const swell = (t: number) => Math.exp(-(((t - 1.00012) / 0.002) ** 2) / 2);
  const hum = (t: number) => Math.exp(-(((t - 1) / 0.25) ** 2) / 2);
  /** The wave at a time, seconds. */
  const wave = (t: number) =>
    0.5 * hum(t) * (1 - swell(t)) * Math.sin(2 * Math.PI * (rate / 6) * t) +
    swell(t) * Math.sin(2 * Math.PI * (rate / 4) * t);
  let peak = 0;
  for (let t = 0.99; t < 1.01; t += 1 / rate / 256) peak = Math.max(peak, Math.abs(wave(t)));
  const dbtp = 20 * Math.log10(peak);

  test.each([0, 1, 2, 3])('taken %i quarters of a sample later', async (quarters) => {
    const samples = Float32Array.from({ length: rate * seconds }, (_, i) => wave((i + quarters / 4) / rate));
    const raw = join(dir, `phase ${quarters}.f32`);
    await writeFile(raw, Buffer.from(samples.buffer));
    const path = join(dir, `phase ${quarters}.wav`);
    await ffmpeg(...['-f', 'f32le', '-ar', String(rate), '-ac', '1', '-i', raw], '-c:a', 'pcm_f32le', path);
    const measured = await measureLoudness(path, 0);
    const read = measured.ok ? measured.value.truePeakDbtp! : NaN;
    expect(read).toBeGreaterThanOrEqual(dbtp - 0.4);
    expect(read).toBeLessThanOrEqual(dbtp + 0.2);
  });
});
