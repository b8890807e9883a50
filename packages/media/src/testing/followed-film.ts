import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { followedShot, followedSize, type FollowedShot } from '../../../core/src/testing/followed.ts';

/** Writes some shots of the set, one after the other, as a real film of 640 × 360 at 12.5 frames a second: their pictures are every second one at twenty-five. */
export async function makeFollowedFilm(path: string, indices: readonly number[]): Promise<FollowedShot[]> {
  const shots = indices.map(followedShot);
  const { width, height } = followedSize;
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'yuv444p',
      '-s',
      `${width}x${height}`,
      '-r',
      '25/2',
      '-i',
      '-',
      '-vf',
      'scale=640:360:flags=bicubic,format=yuv420p',
      '-c:v',
      'libx264',
      '-preset',
      'veryfast',
      '-crf',
      '14',
      '-g',
      '12',
      '-color_primaries',
      'bt709',
      '-color_trc',
      'bt709',
      '-colorspace',
      'bt709',
      '-color_range',
      'tv',
      '-movflags',
      '+faststart',
      '-f',
      'mp4',
      path,
    ],
    { stdio: ['pipe', 'ignore', 'inherit'] },
  );
  const ended = once(child, 'exit') as Promise<[number]>;
  for (const shot of shots)
    for (const picture of shot.pictures) if (!child.stdin.write(picture)) await once(child.stdin, 'drain');
  child.stdin.end();
  const [code] = await ended;
  if (code !== 0) throw new Error(`ffmpeg ended with ${code}`);
  return shots;
}
