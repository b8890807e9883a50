import { rename, rm } from 'node:fs/promises';
import { fail, ok, type Result, type Size } from '@mivvy/core';
import { catching, must, pictureInput, runFfmpeg, runFfprobe } from '../ffmpeg/run.ts';
import { probedFile } from './probe.ts';

/** The longer side of a copy at most, pixels: more than any screen shows. */
const mostSide = 2400;
/** Pictures with more pixels than this are not unpacked: it takes four bytes a pixel to look at one. */
const mostPixels = 250_000_000;

/** Makes a JPEG of a still picture, small enough for a screen, upright, and whole or not at all. */
export async function copyPicture(path: string, out: string, signal?: AbortSignal): Promise<Result<Size>> {
  const probed = await runFfprobe(
    ['-v', 'error', '-show_streams', '-of', 'json', ...pictureInput(path)],
    signal,
  );
  if (!probed.ok) return probed;
  const file = probed.value.failed ? null : probedFile.safeParse(JSON.parse(probed.value.stdout || '{}'));
  const picture = file?.data?.streams.find((s) => s.codec_type === 'video');
  if (!picture?.width || !picture.height)
    return fail(
      'no-picture',
      'That is not a picture that can be read.',
      'Choose a PNG, JPEG or WebP picture.',
    );
  if (picture.width * picture.height > mostPixels)
    return fail(
      'picture-too-large',
      `The picture is ${picture.width} × ${picture.height} pixels, more than can be unpacked.`,
      'Make it smaller; 2,000 pixels are enough to trace from.',
    );
  const { width, height } = picture;
  return catching(async () => {
    const part = `${out}.${process.pid}.part.jpg`;
    const scale = `scale='min(${mostSide},iw)':'min(${mostSide},ih)':force_original_aspect_ratio=decrease`;
    try {
      must(
        await runFfmpeg(
          [...pictureInput(path), '-vf', `${scale},format=yuvj420p`, '-frames:v', '1', '-q:v', '3', part],
          { signal },
        ),
      );
      await rename(part, out);
    } finally {
      await rm(part, { force: true });
    }
    return ok({ width, height });
  }).then((made) => (made.ok ? made.value : made));
}
