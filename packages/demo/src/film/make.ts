import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { rename, rm, writeFile } from 'node:fs/promises';
import { createCanvas } from '@napi-rs/canvas';
import { colourTags, locateTools } from '@mivvy/media';
import type { Pen } from './paint.ts';
import { archiveClip, kiteWeekend, openingWithoutTitle, phoneClip, teaser, type Shot } from './scenes.ts';
import { filmSound, mouthAt } from './sound.ts';

/** A film of the demo. */
export interface DemoFilm {
  file: string;
  /** Size that it is drawn in, pixels. */
  width: number;
  height: number;
  /** Frames a second, as ffmpeg reads it. */
  rate: number;
  seconds: number;
  /** Draws the picture at a time. */
  draw: (g: Pen, t: number) => void;
  sound: () => Float32Array | null;
  /** Filters and encoder arguments of its own. */
  args: string[];
  /** Stored turned by this many degrees counter-clockwise, with a flag that turns it back. */
  turned?: 90;
}

function cut(shots: readonly Shot[]): (g: Pen, t: number) => void {
  const mouth = mouthAt(shots);
  return (g, t) => {
    let from = 0;
    for (const shot of shots) {
      // A hair of tolerance: 1 / 25 does not add up exactly.
      if (t < from + shot.seconds - 1e-6 || shot === shots.at(-1))
        return shot.draw(g, t - from, Math.min(1, (t - from) / shot.seconds), mouth(t));
      from += shot.seconds;
    }
  };
}

const total = (shots: readonly Shot[]) => shots.reduce((sum, s) => sum + s.seconds, 0);

/** The demo's films. */
export const demoFilms: readonly DemoFilm[] = [
  {
    file: 'Kite Weekend.mp4',
    width: 1920,
    height: 1080,
    rate: 25,
    seconds: total(kiteWeekend),
    draw: cut(kiteWeekend),
    sound: () => filmSound(kiteWeekend),
    args: [],
  },
  {
    file: 'Kite Weekend teaser 50p.mp4',
    width: 1920,
    height: 1080,
    rate: 50,
    seconds: total(teaser),
    draw: cut(teaser),
    sound: () => filmSound(teaser),
    args: [],
  },
  {
    file: 'Phone clip from the beach.mov',
    width: 1080,
    height: 1920,
    rate: 30,
    seconds: 8,
    draw: phoneClip,
    sound: () => filmSound([{ seconds: 8, draw: () => undefined }]),
    args: [],
    turned: 90,
  },
  {
    file: 'Archive wall 1974.mp4',
    width: 1440,
    height: 1080,
    rate: 24,
    seconds: 9,
    draw: (g, t) => archiveClip(g, t, t / 9),
    sound: () => null,
    args: [
      '-vf',
      'eq=saturation=0:contrast=1.1:brightness=-0.03,colorbalance=rs=.10:gs=.04:bs=-.06:rm=.06:bm=-.04,vignette=PI/4.6,noise=alls=9:allf=t:all_seed=5,scale=out_color_matrix=bt709:out_range=tv,format=yuv420p',
    ],
  },
];

/** The first film again without its title, as an edit is exported with its titles switched off. */
export const textlessFile = 'Kite Weekend textless.mp4';

async function run(
  ffmpeg: string,
  args: string[],
  feed?: (write: (data: Buffer) => Promise<void>) => Promise<void>,
): Promise<void> {
  const child = spawn(ffmpeg, ['-v', 'error', '-y', ...args], {
    stdio: [feed ? 'pipe' : 'ignore', 'ignore', 'inherit'],
  });
  const ended = once(child, 'exit') as Promise<[number]>;
  if (feed && child.stdin) {
    const pipe = child.stdin;
    pipe.on('error', () => undefined); // the exit code tells
    await feed(async (data) => {
      if (!pipe.write(data)) await Promise.race([once(pipe, 'drain'), ended]);
    });
    pipe.end();
  }
  const [code] = await ended;
  if (code !== 0) throw new Error(`ffmpeg ended with ${code}`);
}

/** How all films are encoded. */
const encoded = (rate: number): string[] => [
  '-c:v',
  'libx264',
  '-preset',
  'veryfast',
  '-threads',
  '2',
  '-crf',
  '17',
  '-g',
  String(rate),
  ...colourTags,
];
const toFile = ['-fflags', '+bitexact', '-movflags', '+faststart', '-f', 'mp4'];
const toVideo = 'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p';

/** A canvas as ffmpeg reads it from its standard input. */
const drawnInput = (width: number, height: number, rate: number): string[] => [
  '-f',
  'rawvideo',
  '-pix_fmt',
  'rgba',
  '-s',
  `${width}x${height}`,
  '-r',
  String(rate),
  '-i',
  '-',
];

/**
 * Draws the first film without its title: only the opening is drawn anew, the rest is taken over from the film.
 *
 * @param filmPath the film, as {@link makeFilm} has made it at the same scale
 */
export async function makeTextless(filmPath: string, path: string, scale = 1): Promise<void> {
  const tools = await locateTools();
  if (!tools.ok) throw new Error(`${tools.problem.sentence} ${tools.problem.mend}`);
  const [film] = demoFilms as [DemoFilm];
  const { canvas, g, width, height } = sheet(film, scale);
  const frames = Math.round(openingWithoutTitle.seconds * film.rate);
  const part = `${path}.part.mp4`;
  const graph = `[0:v]${toVideo}[a];[1:v]trim=start_frame=${frames},setpts=PTS-STARTPTS,format=yuv420p[b];[a][b]concat=n=2[v]`;
  try {
    await run(
      tools.value.ffmpeg,
      [
        ...drawnInput(width, height, film.rate),
        ...['-i', filmPath, '-filter_complex', graph, '-map', '[v]', '-map', '1:a', '-c:a', 'copy'],
        ...encoded(film.rate),
        ...toFile,
        part,
      ],
      async (write) => {
        for (let frame = 0; frame < frames; frame++) {
          g.setTransform(scale, 0, 0, scale, 0, 0);
          const t = frame / film.rate;
          openingWithoutTitle.draw(g, t, Math.min(1, t / openingWithoutTitle.seconds), 0);
          await write(Buffer.from(canvas.data()));
        }
      },
    );
    await rename(part, path);
  } finally {
    await rm(part, { force: true });
  }
}

/** What a film is drawn on. */
function sheet(film: DemoFilm, scale: number) {
  const even = (n: number) => Math.round((n * scale) / 2) * 2;
  const [width, height] = [even(film.width), even(film.height)];
  const canvas = createCanvas(width, height);
  return { canvas, g: canvas.getContext('2d'), width, height };
}

/**
 * Draws and encodes one film; it appears whole or not at all. The same sources give the same bytes.
 *
 * @param scale 1 for the real thing; smaller for a quick look in tests
 */
export async function makeFilm(
  film: DemoFilm,
  path: string,
  scale = 1,
  seconds = film.seconds,
): Promise<void> {
  const tools = await locateTools();
  if (!tools.ok) throw new Error(`${tools.problem.sentence} ${tools.problem.mend}`);
  const { canvas, g, width, height } = sheet(film, scale);
  const part = `${path}.part.mp4`;
  const samples = film.sound();
  const soundFile = samples ? `${path}.f32` : undefined;
  if (samples && soundFile) await writeFile(soundFile, Buffer.from(samples.buffer));
  try {
    await run(
      tools.value.ffmpeg,
      [
        ...drawnInput(width, height, film.rate),
        ...(soundFile ? ['-f', 'f32le', '-ar', '48000', '-ac', '2', '-i', soundFile] : []),
        ...(film.args.length ? film.args : ['-vf', `${film.turned ? 'transpose=cclock,' : ''}${toVideo}`]),
        ...encoded(film.rate),
        ...(soundFile ? ['-c:a', 'aac', '-b:a', '192k', '-t', String(seconds)] : []),
        ...toFile,
        part,
      ],
      async (write) => {
        for (let frame = 0; frame < Math.round(seconds * film.rate); frame++) {
          g.setTransform(scale, 0, 0, scale, 0, 0);
          film.draw(g, frame / film.rate);
          await write(Buffer.from(canvas.data()));
        }
      },
    );
    if (film.turned) {
      // A phone's way: the picture stored sideways, and a flag that turns it back clockwise.
      await run(tools.value.ffmpeg, [
        '-i',
        part,
        '-c',
        'copy',
        '-metadata:s:v:0',
        `rotate=${360 - film.turned}`,
        '-fflags',
        '+bitexact',
        '-movflags',
        '+faststart',
        '-f',
        'mov',
        `${part}.turned`,
      ]);
      await rename(`${part}.turned`, part);
    }
    await rename(part, path);
  } finally {
    if (soundFile) await rm(soundFile, { force: true });
    await rm(part, { force: true });
  }
}
