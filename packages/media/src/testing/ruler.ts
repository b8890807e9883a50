import { spawn } from 'node:child_process';
import { execa } from 'execa';
import type { Rate, Size } from '@mivvy/core';

/**
 * The ruler master: red grows with x and green with y, and blue carries the frame's number as a repeated tile of
 * blocks. Any delivered pixel then tells which master pixel and which frame it came from, with nothing of ours in
 * between but the decoder.
 */
const low = 60;
const high = 180;
/** Values that red and green run between: away from the ends, where coding clips. */
const rampFrom = 24;
const rampTo = 232;
/** Bits of the frame number, in a tile of 4 × 4 blocks. */
const bits = 16;

/** Side of a block in master pixels; four blocks always fit the shortest window side used in the tests. */
export function blockSide(size: Size): number {
  return Math.max(8, Math.floor(Math.min(size.width, size.height) / 18 / 2) * 2);
}

function rulerFrame(size: Size, frame: number): Buffer {
  const { width, height } = size;
  const side = blockSide(size);
  const pixels = Buffer.alloc(width * height * 3);
  const ramp = (at: number, length: number) =>
    Math.round(rampFrom + ((rampTo - rampFrom) * (at + 0.5)) / length);
  // Worked out once a row and column: a test runner's sandbox makes every mention of Math slow.
  const red = Array.from({ length: width }, (_, x) => ramp(x, width));
  const column = Array.from({ length: width }, (_, x) => Math.floor(x / side) % 4);
  for (let y = 0; y < height; y++) {
    const green = ramp(y, height);
    const blue = [0, 1, 2, 3].map((bit) =>
      (frame >> ((Math.floor(y / side) % 4) * 4 + bit)) & 1 ? high : low,
    );
    for (let x = 0, at = y * width * 3; x < width; x++, at += 3) {
      pixels[at] = red[x]!;
      pixels[at + 1] = green;
      pixels[at + 2] = blue[column[x]!]!;
    }
  }
  return pixels;
}

export interface RulerOptions {
  /** Size as displayed. */
  size: Size;
  rate: Rate;
  frames: number;
  /** Store it turned, with a rotation flag that turns it back (clockwise degrees that the player applies). */
  rotation?: 0 | 90 | 270;
  sound?: boolean;
  /** Further encoder arguments. */
  args?: string[];
}

/** Writes a ruler master, 4:2:0 (4:4:4 for odd sizes) H.264 tagged BT.709. */
export async function makeRuler(path: string, options: RulerOptions): Promise<void> {
  const { size, rate, frames } = options;
  const odd = size.width % 2 || size.height % 2;
  const turn =
    options.rotation === 90 ? ['transpose=cclock'] : options.rotation === 270 ? ['transpose=clock'] : [];
  const stored = options.rotation ? `${path}.stored.mp4` : path;
  const seconds = (frames * rate.den) / rate.num;
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb24',
      '-s',
      `${size.width}x${size.height}`,
      '-r',
      `${rate.num}/${rate.den}`,
      '-i',
      '-',
      ...(options.sound ? ['-f', 'lavfi', '-i', `sine=1000:r=48000:d=${seconds}`] : []),
      '-vf',
      [
        ...turn,
        'scale=out_color_matrix=bt709:out_range=tv:out_h_chr_pos=0:flags=accurate_rnd+full_chroma_int',
        `format=${odd ? 'yuv444p' : 'yuv420p'}`,
      ].join(','),
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-crf',
      '6',
      '-g',
      '30',
      '-color_primaries',
      'bt709',
      '-color_trc',
      'bt709',
      '-colorspace',
      'bt709',
      '-color_range',
      'tv',
      ...(options.sound ? ['-c:a', 'aac', '-ac', '2', '-shortest'] : []),
      ...(options.args ?? []),
      '-movflags',
      '+faststart',
      stored,
    ],
    { stdio: ['pipe', 'inherit', 'inherit'] },
  );
  const done = new Promise<void>((resolve, reject) => {
    child.on('error', reject);
    child.on('exit', (code) =>
      code === 0 ? resolve() : reject(new Error(`ruler: ffmpeg ended with ${code}`)),
    );
  });
  for (let frame = 0; frame < frames; frame++) {
    if (!child.stdin.write(rulerFrame(size, frame))) await new Promise((r) => child.stdin.once('drain', r));
  }
  child.stdin.end();
  await done;
  if (options.rotation) {
    // The display matrix of ffmpeg's `rotate` tag turns counter-clockwise.
    await execa('ffmpeg', [
      '-v',
      'error',
      '-y',
      '-i',
      stored,
      '-c',
      'copy',
      '-metadata:s:v:0',
      `rotate=${360 - options.rotation}`,
      '-movflags',
      '+faststart',
      path,
    ]);
  }
}

/** What one delivered picture says of where it came from. */
export interface RulerReading {
  /** Master frame number. */
  frame: number;
  /** The window it shows, in master pixels, fitted over the whole picture. */
  window: { x: number; y: number; width: number; height: number };
}

/** Least squares of a straight line through equally spaced values. */
function line(values: readonly number[]): { slope: number; intercept: number } {
  const n = values.length;
  const meanX = (n - 1) / 2;
  const meanY = values.reduce((a, b) => a + b, 0) / n;
  let over = 0;
  let under = 0;
  values.forEach((v, i) => {
    over += (i - meanX) * (v - meanY);
    under += (i - meanX) ** 2;
  });
  const slope = over / under;
  return { slope, intercept: meanY - slope * meanX };
}

/** Reads one picture of a delivered ruler (rgb24). */
export function readRulerPicture(rgb: Buffer, frameSize: Size, masterSize: Size): RulerReading {
  const columns = new Array<number>(frameSize.width).fill(0);
  const rows = new Array<number>(frameSize.height).fill(0);
  for (let y = 0; y < frameSize.height; y++) {
    for (let x = 0; x < frameSize.width; x++) {
      const at = (y * frameSize.width + x) * 3;
      columns[x]! += rgb[at]! / frameSize.height;
      rows[y]! += rgb[at + 1]! / frameSize.width;
    }
  }
  const span = rampTo - rampFrom;
  const h = line(columns);
  const v = line(rows);
  // The ramp's value at a pixel's centre names the master position of that centre.
  const width = (h.slope * frameSize.width * masterSize.width) / span;
  const height = (v.slope * frameSize.height * masterSize.height) / span;
  const window = {
    x: ((h.intercept - h.slope * 0.5 - rampFrom) * masterSize.width) / span,
    y: ((v.intercept - v.slope * 0.5 - rampFrom) * masterSize.height) / span,
    width,
    height,
  };
  return { frame: readNumber(rgb, frameSize, masterSize, window), window };
}

/** Votes over every block whose centre the picture shows, so that coding noise cannot flip a bit. */
function readNumber(rgb: Buffer, frameSize: Size, masterSize: Size, window: RulerReading['window']): number {
  const side = blockSide(masterSize);
  const sums = new Array<number>(bits).fill(0);
  for (let by = 0; by * side < masterSize.height; by++) {
    for (let bx = 0; bx * side < masterSize.width; bx++) {
      const x = Math.round((((bx + 0.5) * side - window.x) / window.width) * frameSize.width);
      const y = Math.round((((by + 0.5) * side - window.y) / window.height) * frameSize.height);
      if (x < 1 || y < 1 || x >= frameSize.width - 1 || y >= frameSize.height - 1) continue;
      sums[(by % 4) * 4 + (bx % 4)]! += rgb[(y * frameSize.width + x) * 3 + 2]! - (low + high) / 2;
    }
  }
  return sums.reduce((number, sum, bit) => (sum > 0 ? number | (1 << bit) : number), 0);
}

/** Decodes a delivered ruler with ffmpeg alone and reads every picture of it. */
export async function readRuler(path: string, frameSize: Size, masterSize: Size): Promise<RulerReading[]> {
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-i',
      path,
      '-map',
      '0:v:0',
      '-fps_mode',
      'passthrough',
      '-vf',
      'scale=in_color_matrix=bt709:in_range=tv:in_h_chr_pos=0:flags=accurate_rnd+full_chroma_int',
      '-pix_fmt',
      'rgb24',
      '-f',
      'rawvideo',
      '-',
    ],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  );
  const length = frameSize.width * frameSize.height * 3;
  const readings: RulerReading[] = [];
  let held: Buffer[] = [];
  let heldBytes = 0;
  for await (const chunk of child.stdout as AsyncIterable<Buffer>) {
    held.push(chunk);
    heldBytes += chunk.length;
    if (heldBytes < length) continue;
    let all = Buffer.concat(held);
    while (all.length >= length) {
      readings.push(readRulerPicture(all.subarray(0, length), frameSize, masterSize));
      all = all.subarray(length);
    }
    held = [all];
    heldBytes = all.length;
  }
  return readings;
}
