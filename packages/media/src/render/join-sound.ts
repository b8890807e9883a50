import { open, type FileHandle } from 'node:fs/promises';

const { cos, floor, max, min, PI, round, sin } = Math;

/** A piece of sound, in sample frames of the file that it is taken from. */
export interface SoundPiece {
  from: number;
  to: number;
}

/** Sample frames copied at a time. */
const chunk = 65_536;

/** Reads sample frames; what lies outside the file is silence. */
async function readAt(
  file: FileHandle,
  from: number,
  count: number,
  channels: number,
  length: number,
): Promise<Float32Array> {
  const out = new Float32Array(count * channels);
  const [start, end] = [max(0, from), min(length, from + count)];
  if (end > start) {
    const bytes = Buffer.from(out.buffer, (start - from) * channels * 4, (end - start) * channels * 4);
    await file.read(bytes, 0, bytes.length, start * channels * 4);
  }
  return out;
}

/**
 * Joins pieces of raw 32-bit sound in order. Across each join the one fades out while the other fades in, at equal
 * power, over `fade` sample frames around it: each goes on a little beyond its end, so nothing is lost and the length
 * is exact. Memory does not depend on how many pieces there are.
 */
export async function joinSound(
  source: string,
  target: string,
  pieces: readonly SoundPiece[],
  channels: number,
  fade: number,
): Promise<void> {
  const input = await open(source, 'r');
  const output = await open(target, 'w');
  try {
    const length = floor((await input.stat()).size / (channels * 4));
    for (const [i, piece] of pieces.entries()) {
      const next = pieces[i + 1];
      const before = pieces[i - 1];
      // A fade is never longer than either piece.
      const half = (other: SoundPiece | undefined) =>
        other ? max(0, floor(min(fade, other.to - other.from, piece.to - piece.from) / 2)) : 0;
      const [head, tail] = [half(before), half(next)];
      for (let at = piece.from + head; at < piece.to - tail; at += chunk) {
        const part = await readAt(input, at, min(chunk, piece.to - tail - at), channels, length);
        await output.write(new Uint8Array(part.buffer));
      }
      if (!next || !tail) continue;
      const going = await readAt(input, piece.to - tail, tail * 2, channels, length);
      const coming = await readAt(input, next.from - tail, tail * 2, channels, length);
      const mixed = going.map((value, n) => {
        const t = ((floor(n / channels) + 0.5) / (tail * 2)) * (PI / 2);
        return value * cos(t) + coming[n]! * sin(t);
      });
      await output.write(new Uint8Array(mixed.buffer));
    }
  } finally {
    await input.close();
    await output.close();
  }
}

/** A span of master frames as sample frames, counted from a frame: both ends are rounded alike, so that spans that play on from each other fit. */
export function soundPiece(
  span: { from: number; to: number },
  first: number,
  rate: { num: number; den: number },
  sampleRate: number,
): SoundPiece {
  const at = (frame: number) => round(((frame - first) * rate.den * sampleRate) / rate.num);
  return { from: at(span.from), to: at(span.to) };
}
