import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdir, readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, type MasterFacts } from '@mivvy/core';
import { must } from '../ffmpeg/run.ts';
import { measureLoudness } from '../ingest/loudness.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { makeSound } from './sound.ts';

/**
 * A voice is brought to its loudness under its ceiling, however it is coded: its pulses are what limiters take loudness
 * from, and what coders of few bits make peaks of. Loudness and peaks are those of ITU-R BS.1770.
 */
let dir: string;
let clean: () => Promise<void>;
let facts: MasterFacts;

/** Pulses of a voice through two formants, in words with pauses between them. */
const voice = [
  '(sin(2*PI*620*t)+0.6*sin(2*PI*1900*t))*exp(-110*mod(t,1/(95+25*sin(2*PI*1.3*t))))',
  'gt(mod(t,0.41),0.11)*gt(mod(t,2.3),0.35)*0.55',
]
  .join('*')
  .replaceAll(',', '\\,');

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  const master = join(dir, 'voice.mov');
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'color=0x304050:s=320x180:r=25:d=7'],
    ...['-f', 'lavfi', '-i', `aevalsrc=exprs=${voice}:s=22050:d=7`],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-c:a', 'pcm_s16le', master],
  );
  facts = await factsOf(master);
}, 60_000);
afterAll(() => clean());

test.each([
  ['aac', -16, -1.5, 1, 44100, 96],
  ['aac', -12, -2, 1, 44100, 64],
  ['aac', -10, -1, 2, 48000, 128],
  ['aac', -23, -2, 2, 48000, 64],
  ['opus', -14, -1, 2, 48000, 64],
] as const)(
  '%s, %d LUFS under %d dBTP, %d channels at %d Hz and %d kbit/s',
  async (codec, integratedLufs, truePeakDbtp, channels, sampleRate, kbps) => {
    const place = placement({
      container: codec === 'opus' ? 'webm' : 'mp4',
      video: { codec: codec === 'opus' ? 'vp9' : 'h264', rate: { mode: 'quality', crf: 30 } },
      audio: { codec, kbps, sampleRate, channels, loudness: { integratedLufs, truePeakDbtp } },
    });
    const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() });
    const workDir = join(dir, 'work');
    await rm(workDir, { recursive: true, force: true });
    await mkdir(workDir);
    const made = (await makeSound(plan, { masterPath: join(dir, 'voice.mov'), workDir }))!;
    const { integratedLufs: came, truePeakDbtp: peak } = must(await measureLoudness(made.path, 0));
    expect(Math.abs(came! - integratedLufs)).toBeLessThanOrEqual(0.25);
    expect(peak!).toBeLessThanOrEqual(truePeakDbtp);
    expect((await readdir(workDir)).filter((name) => name.includes('best'))).toEqual([]);
  },
  60_000,
);
