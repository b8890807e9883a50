import { rename } from 'node:fs/promises';
import { masterSeconds, type MasterFacts, type Result } from '@mivvy/core';
import { catching, inputArgs, must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { proxyFilters } from '../render/filters.ts';
import type { MasterHandling } from '../render/way-in.ts';

/** Long side of a proxy in pixels: enough for a proof that fills half a screen. */
const proxyLongSide = 1280;

/**
 * Makes a proxy that every browser plays: the master as it will be delivered (conformed, tone-mapped, upright), one
 * picture a master frame, keyframes every half second for quick scrubbing. Written whole or not at all.
 */
export async function makeProxy(
  path: string,
  facts: MasterFacts,
  master: MasterHandling,
  out: string,
  options: RunOptions & { onFraction?: (fraction: number) => void },
): Promise<Result<void>> {
  const seconds = masterSeconds(facts);
  const { rate, startSeconds } = facts.video;
  const part = `${out}.part`;
  return catching(async () => {
    must(
      await runFfmpeg(
        [
          ...inputArgs(path),
          '-map',
          `0:${facts.video.streamIndex}`,
          '-vf',
          proxyFilters(facts, master, proxyLongSide),
          '-c:v',
          'libx264',
          // It is made once and looked at often: quick to make and to decode counts for more than its bytes.
          '-preset',
          'ultrafast',
          '-crf',
          '20',
          '-g',
          String(Math.max(1, Math.round(rate.num / rate.den / 2))),
          '-bf',
          '0',
          '-pix_fmt',
          'yuv420p',
          '-r',
          `${rate.num}/${rate.den}`,
          '-fps_mode',
          'cfr',
          '-color_primaries',
          'bt709',
          '-color_trc',
          'bt709',
          '-colorspace',
          'bt709',
          // The proxy starts at the first picture, so the sound is moved by the same amount.
          ...(facts.audio
            ? [
                '-map',
                `0:${facts.audio.streamIndex}`,
                '-af',
                `atrim=start=${startSeconds.toFixed(6)},asetpts=PTS-${startSeconds.toFixed(6)}/TB,aresample=48000:async=1:first_pts=0,apad,atrim=end=${seconds.toFixed(6)}`,
                '-c:a',
                'aac',
                '-b:a',
                '128k',
                '-ac',
                '2',
              ]
            : ['-an']),
          '-map_metadata',
          '-1',
          '-movflags',
          '+faststart',
          '-f',
          'mp4',
          part,
        ],
        { ...options, onProgress: (p) => options.onFraction?.(Math.min(1, p.seconds / seconds)) },
      ),
    );
    await rename(part, out);
  });
}
