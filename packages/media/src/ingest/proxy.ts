import { rename } from 'node:fs/promises';
import { frameToSeconds, masterSeconds, type MasterFacts, type Result } from '@mivvy/core';
import { catching, inputArgs, must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { proxyFilters, type MasterHandling } from '../render/filters.ts';

/** Long side of a proxy in pixels: enough for a proof that fills half a screen. */
const proxyLongSide = 1280;

/**
 * Makes a proxy that every browser plays: the master as it will be delivered (conformed, tone-mapped, upright), one
 * picture a master frame, keyframes every half second for quick scrubbing. Written whole or not at all.
 */
export async function makeProxy(path: string, facts: MasterFacts, master: MasterHandling, out: string, options: RunOptions & { onFraction?: (fraction: number) => void }): Promise<Result<void>> {
  const seconds = masterSeconds(facts);
  const { rate, startSeconds } = facts.video;
  const part = `${out}.part`;
  return catching(async () => {
    must(
      await runFfmpeg(
        [
          ...inputArgs(path), '-map', `0:${facts.video.streamIndex}`, '-vf', proxyFilters(facts, master, proxyLongSide),
          '-c:v', 'libx264', '-preset', 'veryfast', '-crf', '20', '-g', String(Math.max(1, Math.round(rate.num / rate.den / 2))), '-bf', '0', '-pix_fmt', 'yuv420p',
          '-r', `${rate.num}/${rate.den}`, '-fps_mode', 'cfr', '-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709',
          // The proxy starts at the first picture, so the sound is moved by the same amount.
          ...(facts.audio ? ['-map', `0:${facts.audio.streamIndex}`, '-af', `atrim=start=${startSeconds.toFixed(6)},asetpts=PTS-${startSeconds.toFixed(6)}/TB,aresample=48000:async=1:first_pts=0,apad,atrim=end=${seconds.toFixed(6)}`, '-c:a', 'aac', '-b:a', '128k', '-ac', '2'] : ['-an']),
          '-map_metadata', '-1', '-movflags', '+faststart', '-f', 'mp4', part,
        ],
        { ...options, onProgress: (p) => options.onFraction?.(Math.min(1, p.seconds / seconds)) },
      ),
    );
    await rename(part, out);
  });
}

/** How many stills stand along a film's strip. */
export const stripStills = 24;
/** Height of a still on the strip, pixels. */
const stripHeight = 96;

/**
 * Draws evenly spaced stills of the master, left to right, as one JPEG, and a larger poster. Each still is sought on
 * its own, so a long film takes no longer than a short one.
 */
export async function makeStrip(path: string, facts: MasterFacts, strip: string, poster: string, options: RunOptions): Promise<Result<void>> {
  const { displayed, rate, frames, startSeconds } = facts.video;
  const width = Math.max(2, Math.round((stripHeight * displayed.width) / displayed.height / 2) * 2);
  const at = (i: number) => startSeconds + frameToSeconds(Math.min(frames - 1, Math.floor(((i + 0.5) * frames) / stripStills)), rate);
  const inputs = Array.from({ length: stripStills }, (_, i) => ['-ss', Math.max(0, at(i) - 0.001).toFixed(3), ...inputArgs(path)]).flat();
  const size = (w: number, h: number) => `scale=${w}:${h}:out_range=pc,setsar=1,format=yuvj420p`;
  const cells = Array.from({ length: stripStills }, (_, i) => `[${i}:${facts.video.streamIndex}]trim=end_frame=1,setpts=0,${size(width, stripHeight)}[s${i}]`);
  const row = Array.from({ length: stripStills }, (_, i) => `[s${i}]`).join('');
  const posterHeight = Math.max(2, Math.round((640 * displayed.height) / displayed.width / 2) * 2);
  return catching(async () => {
    // A still past the last picture would end the row; a film of a few frames simply gets one still.
    const short = frames < stripStills;
    const chain = short ? `[0:${facts.video.streamIndex}]trim=end_frame=1,setpts=0,${size(width, stripHeight)}[row]` : `${cells.join(';')};${row}hstack=inputs=${stripStills}[row]`;
    must(await runFfmpeg(['-threads', '1', ...(short ? inputArgs(path) : inputs), '-filter_complex', chain, '-map', '[row]', '-frames:v', '1', '-q:v', '4', '-f', 'image2', '-update', '1', `${strip}.part.jpg`], options));
    await rename(`${strip}.part.jpg`, strip);
    must(await runFfmpeg(['-ss', Math.max(0, at(Math.floor(stripStills / 5)) - 0.001).toFixed(3), ...inputArgs(path), '-map', `0:${facts.video.streamIndex}`, '-vf', size(640, posterHeight), '-frames:v', '1', '-q:v', '3', '-f', 'image2', '-update', '1', `${poster}.part.jpg`], options));
    await rename(`${poster}.part.jpg`, poster);
  });
}
