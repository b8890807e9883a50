import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { createCanvas } from '@napi-rs/canvas';
import { locateTools } from '@mivvy/media';

/** A moving graphic on black: sparks that fly apart and go out. */
const side = 480;
const rate = 25;
const frames = 60;
const sparks = 46;

/** Draws the burst and encodes it; the film's bytes. The same each time. */
export async function makeBurst(): Promise<Buffer> {
  const tools = await locateTools();
  if (!tools.ok) throw new Error(tools.problem.sentence);
  const child = spawn(tools.value.ffmpeg, [
    ...['-v', 'error', '-f', 'rawvideo', '-pix_fmt', 'rgba', '-s', `${side}x${side}`, '-r', String(rate)],
    ...['-i', 'pipe:0', '-c:v', 'libx264', '-crf', '16', '-pix_fmt', 'yuv420p', '-f', 'matroska', 'pipe:1'],
  ]);
  const pieces: Buffer[] = [];
  child.stdout.on('data', (piece: Buffer) => pieces.push(piece));
  const ended = once(child, 'close');
  const canvas = createCanvas(side, side);
  const g = canvas.getContext('2d');
  for (let k = 0; k < frames; k++) {
    const t = k / (frames - 1);
    g.fillStyle = '#000000';
    g.fillRect(0, 0, side, side);
    for (let i = 0; i < sparks; i++) {
      // Angles by the golden section lie nowhere close together.
      const angle = i * 2.39996;
      const far = (0.25 + 0.75 * ((i * 0.754878 + (i % 7) * 0.31) % 1)) * (1 - (1 - t) ** 2.4) * side * 0.48;
      const size = (1 - t) * (3 + (i % 4) * 1.6) + 0.6;
      const [x, y] = [side / 2 + Math.cos(angle) * far, side / 2 + Math.sin(angle) * far + t * t * 26];
      const glow = g.createRadialGradient(x, y, 0, x, y, size * 3.2);
      const light = (1 - t) ** 0.8;
      glow.addColorStop(0, `rgba(255, ${214 - (i % 3) * 30}, 120, ${light})`);
      glow.addColorStop(1, 'rgba(255, 160, 40, 0)');
      g.fillStyle = glow;
      g.fillRect(x - size * 3.2, y - size * 3.2, size * 6.4, size * 6.4);
    }
    const { data } = g.getImageData(0, 0, side, side);
    if (!child.stdin.write(Buffer.from(data))) await once(child.stdin, 'drain');
  }
  child.stdin.end();
  const [code] = (await ended) as [number | null];
  if (code !== 0) throw new Error(`the burst could not be encoded: ${code}`);
  return Buffer.concat(pieces);
}
