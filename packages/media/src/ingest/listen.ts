import { spawn } from 'node:child_process';
import { fps, ok, pictureStartInSound, type FrameSpan, type MasterFacts, type Result } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { Cancelled, explainFailure, inputArgs, killedFromOutside, quietly } from '../ffmpeg/run.ts';
import { soundFrom } from '../render/filters.ts';
import { toolCall } from '../ffmpeg/tool.ts';

/** What is heard along a film, in its frames. */
export interface Heard {
  /** Loudness of each frame, dB below full scale. */
  levels: number[];
  silences: FrameSpan[];
  speech: FrameSpan[];
}

const { floor, log10, max, min, round, sqrt } = Math;
const sampleRate = 16_000;
/**
 * What is this far under the film's loud parts counts as silent, and anything below the second figure, dB (common
 * practice: a room's own noise lies 30 to 40 dB under a voice). Loud parts reach within the third figure of the loudest.
 */
const underLoud = 26;
const silentBelow = -62;
const loudWithin = 16;
/** Silence is told from the energy of so long, seconds, so that one click does not end it. */
const listenSeconds = 0.2;
/** Silences and speech shorter than this are none, seconds; gaps in speech so short are part of it. */
const leastSilence = 0.3;
const leastSpeech = 0.3;
const breath = 0.45;

/** Runs of frames for which something holds, gaps of up to `gap` frames closed, shorter ones than `least` left out. */
function runsOf(flags: readonly boolean[], gap: number, least: number): FrameSpan[] {
  const runs: FrameSpan[] = [];
  flags.forEach((on, i) => {
    if (!on) return;
    const last = runs.at(-1);
    if (last && i - last.to <= gap) last.to = i + 1;
    else runs.push({ from: i, to: i + 1 });
  });
  return runs.filter((r) => r.to - r.from >= least);
}

/**
 * Listens along a film's sound: how loud each frame is, where it is silent, and where somebody speaks. Speech is told
 * by energy between 300 and 3000 Hz that swells and falls a few times a second, as syllables do (common practice).
 */
export async function listenAlong(
  path: string,
  facts: MasterFacts,
  signal?: AbortSignal,
): Promise<Result<Heard>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const { audio, video } = facts;
  if (!audio) return ok({ levels: [], silences: [], speech: [] });
  const start = pictureStartInSound(facts);
  const filters = [
    ...soundFrom(start),
    `aresample=${sampleRate}:async=1:first_pts=0`,
    'aformat=sample_fmts=flt:channel_layouts=mono',
    'asplit=2[a][b];[b]highpass=f=300,lowpass=f=3000[v];[a][v]join=inputs=2:channel_layout=stereo:map=0.0-FL|1.0-FR',
  ].join(',');
  const child = spawn(
    ...toolCall(tools.value.ffmpeg, [
      ...quietly,
      ...inputArgs(path),
      '-filter_complex',
      `[0:${audio.streamIndex}]${filters}[out]`,
      '-map',
      '[out]',
      '-f',
      'f32le',
      'pipe:1',
    ]),
    { stdio: ['ignore', 'pipe', 'pipe'] },
  );
  const stop = () => child.kill('SIGKILL');
  signal?.addEventListener('abort', stop, { once: true });
  let words = '';
  child.stderr.on('data', (chunk: Buffer) => (words = (words + chunk.toString()).slice(-50_000)));
  // What cannot be started has no end of its own; its error is one.
  const ended = new Promise<number | null>((resolve) => {
    child.on('error', (error) => {
      words += `${error.message}\n`;
      resolve(null);
    });
    child.on('close', (code, killed) => {
      if (killed && !signal?.aborted) words += killedFromOutside(killed);
      resolve(code);
    });
  });
  const rate = fps(video.rate);
  // Energies of each frame: of everything, and of the voice's band.
  const [all, voice] = [new Float64Array(video.frames), new Float64Array(video.frames)];
  const counts = new Uint32Array(video.frames);
  let sample = 0;
  let rest: Buffer = Buffer.alloc(0);
  for await (const piece of child.stdout as AsyncIterable<Buffer>) {
    const data = rest.length ? Buffer.concat([rest, piece]) : piece;
    const whole = data.length - (data.length % 8);
    for (let at = 0; at < whole; at += 8, sample++) {
      const frame = ((sample * rate) / sampleRate) | 0;
      if (frame >= video.frames) continue;
      const [a, v] = [data.readFloatLE(at), data.readFloatLE(at + 4)];
      all[frame]! += a * a;
      voice[frame]! += v * v;
      counts[frame]!++;
    }
    rest = data.subarray(whole);
  }
  const code = await ended;
  signal?.removeEventListener('abort', stop);
  if (signal?.aborted) throw new Cancelled();
  if (code !== 0) return { ok: false, problem: explainFailure(words, 'the film’s sound could not be read') };
  const db = (energy: Float64Array) =>
    Array.from(energy, (e, i) => (counts[i] ? max(-90, 10 * log10(e / counts[i]! + 1e-9)) : -90));
  const [levels, band] = [db(all), db(voice)];
  const heard = levels.filter((l) => l > silentBelow).sort((a, b) => a - b);
  const usual = heard[heard.length >> 1] ?? -90;
  const loudest = heard[floor(heard.length * 0.98)] ?? -90;
  const loud = heard.filter((l) => l > loudest - loudWithin);
  const loudness = loud.reduce((sum, l) => sum + l, 0) / max(1, loud.length);
  const half = max(1, round((listenSeconds * rate) / 2));
  const smooth = levels.map((_, i) => {
    const near = levels.slice(max(0, i - half), i + half + 1);
    return 10 * log10(near.reduce((sum, l) => sum + 10 ** (l / 10), 0) / near.length);
  });
  const silent = smooth.map(
    (l, i) => levels[i]! < silentBelow || l < silentBelow || l < loudness - underLoud,
  );
  // Syllables: in a second around each frame the band swells and falls by several dB, several times.
  const reach = max(2, round(rate / 2));
  const spoken = band.map((level, i) => {
    if (silent[i] || level < usual - 18 || level < levels[i]! - 9) return false;
    const near = band.slice(max(0, i - reach), min(band.length, i + reach + 1));
    const mean = near.reduce((a, b) => a + b, 0) / near.length;
    const spread = sqrt(near.reduce((s, v) => s + (v - mean) ** 2, 0) / near.length);
    let swells = 0;
    for (let k = 1; k < near.length; k++) if (near[k - 1]! < mean && near[k]! >= mean) swells++;
    return spread > 3.2 && swells >= 2 && swells <= 9;
  });
  return ok({
    levels: levels.map((l) => round(l)),
    silences: runsOf(silent, 0, max(1, round(leastSilence * rate))),
    speech: runsOf(spoken, round(breath * rate), max(1, round(leastSpeech * rate))),
  });
}
