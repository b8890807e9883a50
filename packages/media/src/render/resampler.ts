import { readFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { LRUCache } from 'lru-cache';
import { softReduction, type Layout, type Size } from '@mivvy/core';
import { lanczos, makeTaps, softly, type Taps } from './taps.ts';

/** The compiled inner loops; see `kernel/resample.ts`. A loop answers 0, or 1 where it would have left a block. */
export interface Kernel {
  memory: WebAssembly.Memory;
  reserve: (bytes: number) => number;
  release: (at: number) => void;
  across: (
    src: number,
    srcBytes: number,
    stride: number,
    from: number,
    to: number,
    starts: number,
    weights: number,
    taps: number,
    count: number,
    out: number,
    outBytes: number,
    outStride: number,
  ) => number;
  down: (
    src: number,
    srcBytes: number,
    srcStride: number,
    top: number,
    starts: number,
    weights: number,
    taps: number,
    rows: number,
    count: number,
    out: number,
    outBytes: number,
    outStride: number,
  ) => number;
  flood: (
    out: number,
    outBytes: number,
    stride: number,
    count: number,
    rows: number,
    value: number,
  ) => number;
}

/** The resampler refused to read or write outside its blocks: a fault of ours, whatever the film. */
export class ResamplerRefusal extends Error {
  override readonly name = 'ResamplerRefusal';
  constructor(step: string) {
    super(`the resampler refused to leave its memory while ${step}`);
  }
}

function mustStayInside(answer: number, step: string): void {
  if (answer !== 0) throw new ResamplerRefusal(step);
}

/** Where the launcher puts the compiled loops. */
const kernelFile = fileURLToPath(new URL('../../dist/resample.wasm', import.meta.url));

/** Loads a kernel with memory of its own. */
export async function loadKernel(): Promise<Kernel> {
  const compiled = await readFile(kernelFile).catch(() => {
    throw new Error('The resampler has not been compiled. Start Mivvy by its launcher, which does that.');
  });
  const { instance } = await WebAssembly.instantiate(compiled, {
    env: {
      abort: () => {
        throw new Error('the resampler ran out of memory');
      },
    },
  });
  return instance.exports as unknown as Kernel;
}

/** How the samples of decoded pictures lie: colour for every pixel, or for pairs of them each way. */
export type Chroma = '420' | '444';

/** Bytes of one decoded picture. */
export function pictureBytes(size: Size, chroma: Chroma): number {
  const luma = size.width * size.height;
  return chroma === '444' ? luma * 3 : luma + 2 * Math.ceil(size.width / 2) * Math.ceil(size.height / 2);
}

/** A colour as BT.709 limited-range luma and colour differences (Rec. ITU-R BT.709). */
export function yuvOf(colour: string): [number, number, number] {
  const [r, g, b] = [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255) as [
    number,
    number,
    number,
  ];
  const y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
  return [
    Math.round(16 + 219 * y),
    Math.round(128 + (224 * (b - y)) / 1.8556),
    Math.round(128 + (224 * (r - y)) / 1.5748),
  ];
}

/** One axis of a panel: where it starts and how much of the master goes into how many delivered pixels. */
interface Axis {
  from: number;
  length: number;
  into: number;
  at: number;
}

interface Table {
  starts: number;
  weights: number;
  taps: number;
  first: number;
  last: number;
}

/** A reserved block of the kernel's memory, or a part of one. */
interface Block {
  at: number;
  bytes: number;
}

/** The part of a block from an offset on. */
const from = (block: Block, offset: number): Block => ({
  at: block.at + offset,
  bytes: block.bytes - offset,
});

/**
 * How many tables of weights are kept. A still shot needs eight and a stacked one sixteen; moving ones make new ones all
 * the time. The one used longest ago goes first, so that no table goes while a plane is drawn by it.
 */
const tablesKept = 48;

/**
 * Draws layouts from decoded pictures, to a fraction of a pixel: any window, at any place, moving or not. Pictures are
 * planar YUV; colour samples lie level with the left pixel of a pair and between its two lines, as in MPEG-2 video.
 */
export class Resampler {
  private readonly tables = new LRUCache<string, Table>({
    max: tablesKept,
    dispose: ({ starts, weights }) => {
      this.kernel.release(starts);
      this.kernel.release(weights);
    },
  });
  private readonly source: Block;
  private readonly target: Block;
  private readonly ground: Block;
  private lines: Block;
  private readonly small: Size;

  private constructor(
    private readonly kernel: Kernel,
    private readonly masterSize: Size,
    private readonly chroma: Chroma,
    private readonly frameSize: Size,
  ) {
    this.source = this.reserve(pictureBytes(masterSize, chroma));
    this.target = this.reserve(pictureBytes(frameSize, '420'));
    this.small = {
      width: Math.max(4, 2 * Math.round((frameSize.width * softReduction) / 2)),
      height: Math.max(4, 2 * Math.round((frameSize.height * softReduction) / 2)),
    };
    this.ground = this.reserve(pictureBytes(this.small, '420'));
    this.lines = this.reserve(16);
  }

  /**
   * Readies a resampler for masters of one size and frames of another.
   *
   * @param kernel the loops, with memory of their own; tests hand in a guarded one
   */
  static async open(masterSize: Size, chroma: Chroma, frameSize: Size, kernel?: Kernel): Promise<Resampler> {
    return new Resampler(kernel ?? (await loadKernel()), masterSize, chroma, frameSize);
  }

  private reserve(bytes: number): Block {
    return { at: this.kernel.reserve(bytes), bytes };
  }

  /** Draws one picture. The result is a view that holds until the next call. */
  draw(picture: Uint8Array, layout: Layout): Uint8Array {
    if (picture.length > this.source.bytes) throw new ResamplerRefusal('taking in a picture');
    new Uint8Array(this.kernel.memory.buffer, this.source.at, picture.length).set(picture);
    if (layout.ground?.kind === 'colour') this.paint(layout.ground.colour);
    if (layout.ground?.kind === 'soft') this.drawSoft(layout.ground.source);
    for (const { source, into } of layout.panels) {
      this.resample(
        this.source,
        this.masterSize,
        this.chroma,
        this.target,
        this.frameSize,
        { from: source.x, length: source.width, into: into.width, at: into.x },
        { from: source.y, length: source.height, into: into.height, at: into.y },
        'lanczos',
      );
    }
    return new Uint8Array(this.kernel.memory.buffer, this.target.at, this.target.bytes);
  }

  private paint(colour: string): void {
    const { width, height } = this.frameSize;
    const [y, u, v] = yuvOf(colour);
    const flood = ({ at, bytes }: Block, count: number, rows: number, value: number) =>
      mustStayInside(this.kernel.flood(at, bytes, count, count, rows, value), 'painting the ground');
    flood(this.target, width, height, y);
    flood(from(this.target, width * height), width / 2, height / 2, u);
    flood(from(this.target, (width * height * 5) / 4), width / 2, height / 2, v);
  }

  /** The soft copy: the window reduced to a few pixels, and these spread over the frame without an edge. */
  private drawSoft(window: { x: number; y: number; width: number; height: number }): void {
    const { small, frameSize: frame } = this;
    this.resample(
      this.source,
      this.masterSize,
      this.chroma,
      this.ground,
      small,
      { from: window.x, length: window.width, into: small.width, at: 0 },
      { from: window.y, length: window.height, into: small.height, at: 0 },
      'softly',
    );
    this.resample(
      this.ground,
      small,
      '420',
      this.target,
      frame,
      { from: 0, length: small.width, into: frame.width, at: 0 },
      { from: 0, length: small.height, into: frame.height, at: 0 },
      'softly',
    );
  }

  /** Resamples all three planes of a part of one picture into a part of another. */
  private resample(
    source: Block,
    fromSize: Size,
    chroma: Chroma,
    target: Block,
    toSize: Size,
    h: Axis,
    v: Axis,
    kernel: 'lanczos' | 'softly',
  ): void {
    const [hs, vs] = [h.length / h.into, v.length / v.into];
    const luma = fromSize.width * fromSize.height;
    const halved = chroma === '420';
    const chromaSize = halved
      ? { width: Math.ceil(fromSize.width / 2), height: Math.ceil(fromSize.height / 2) }
      : fromSize;
    // Sample k of a plane stands at this place of the source plane; see the class's comment on where colour lies.
    const lumaH = { first: h.from + hs / 2 - 0.5, step: hs };
    const lumaV = { first: v.from + vs / 2 - 0.5, step: vs };
    const chromaH = halved
      ? { first: (h.from + hs / 2 - 0.5) / 2, step: hs }
      : { first: h.from + hs / 2 - 0.5, step: hs * 2 };
    const chromaV = halved
      ? { first: (v.from + vs - 1) / 2, step: vs }
      : { first: v.from + vs - 0.5, step: vs * 2 };
    this.plane(
      source,
      fromSize,
      from(target, v.at * toSize.width + h.at),
      toSize.width,
      lumaH,
      h.into,
      lumaV,
      v.into,
      kernel,
    );
    const quarter = (toSize.width / 2) * (toSize.height / 2);
    for (const n of [0, 1]) {
      const corner = toSize.width * toSize.height + n * quarter + (v.at / 2) * (toSize.width / 2) + h.at / 2;
      this.plane(
        from(source, luma + n * chromaSize.width * chromaSize.height),
        chromaSize,
        from(target, corner),
        toSize.width / 2,
        chromaH,
        h.into / 2,
        chromaV,
        v.into / 2,
        kernel,
      );
    }
  }

  private plane(
    source: Block,
    size: Size,
    target: Block,
    stride: number,
    h: { first: number; step: number },
    width: number,
    v: { first: number; step: number },
    height: number,
    kernel: 'lanczos' | 'softly',
  ): void {
    const ht = this.table(h.first, h.step, width, size.width, kernel, 8);
    const vt = this.table(v.first, v.step, height, size.height, kernel, 2);
    const lineStride = Math.ceil(width / 8) * 8;
    const top = vt.first;
    // The last line may be read a tap or two further, with no weight; it must merely be there.
    const bottom = Math.min(size.height, vt.last + vt.taps);
    this.needLines((vt.last + vt.taps - top + 1) * lineStride * 2);
    mustStayInside(
      this.kernel.across(
        source.at,
        source.bytes,
        size.width,
        top,
        bottom,
        ht.starts,
        ht.weights,
        ht.taps,
        width,
        this.lines.at,
        this.lines.bytes,
        lineStride,
      ),
      `resampling ${size.width} samples across to ${width}`,
    );
    mustStayInside(
      this.kernel.down(
        this.lines.at,
        this.lines.bytes,
        lineStride,
        top,
        vt.starts,
        vt.weights,
        vt.taps,
        height,
        width,
        target.at,
        target.bytes,
        stride,
      ),
      `resampling ${size.height} lines down to ${height}`,
    );
  }

  private needLines(bytes: number): void {
    if (bytes <= this.lines.bytes) return;
    this.kernel.release(this.lines.at);
    this.lines = this.reserve(bytes);
  }

  private table(
    first: number,
    step: number,
    count: number,
    length: number,
    kernel: 'lanczos' | 'softly',
    multiple: 2 | 8,
  ): Table {
    const key = `${first}|${step}|${count}|${length}|${kernel}|${multiple}`;
    const there = this.tables.get(key);
    if (there) return there;
    const made: Taps = makeTaps(
      first,
      step,
      count,
      length,
      kernel === 'lanczos' ? lanczos : softly,
      multiple,
    );
    const starts = this.kernel.reserve(made.starts.byteLength);
    const weights = this.kernel.reserve(made.weights.byteLength);
    new Int32Array(this.kernel.memory.buffer, starts, count).set(made.starts);
    new Int16Array(this.kernel.memory.buffer, weights, made.weights.length).set(made.weights);
    const table: Table = {
      starts,
      weights,
      taps: made.taps,
      first: made.starts[0]!,
      last: made.starts[count - 1]!,
    };
    this.tables.set(key, table);
    return table;
  }
}
