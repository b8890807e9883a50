import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import '@tensorflow/tfjs-backend-wasm';
import { setWasmPaths } from '@tensorflow/tfjs-backend-wasm';
import { loadGraphModel, type GraphModel } from '@tensorflow/tfjs-converter';
import {
  div,
  image,
  mul,
  pad,
  ready,
  setBackend,
  slice,
  sub,
  tensor4d,
  tidy,
  type io,
  type Tensor,
  type Tensor4D,
} from '@tensorflow/tfjs-core';
import { standingOut, type Size } from '@mivvy/core';
import { detectorSide, type Seen } from './detector-picture.ts';

const require = createRequire(import.meta.url);

/** Classes of the COCO set (zero-based, of eighty) that can be what a film is about; the others are furniture. */
const classes: Readonly<Record<number, readonly [Seen['kind'], string]>> = {
  0: ['person', 'person'],
  1: ['vehicle', 'bicycle'],
  2: ['vehicle', 'car'],
  3: ['vehicle', 'motorcycle'],
  4: ['vehicle', 'aeroplane'],
  5: ['vehicle', 'bus'],
  6: ['vehicle', 'train'],
  7: ['vehicle', 'lorry'],
  8: ['vehicle', 'boat'],
  14: ['animal', 'bird'],
  15: ['animal', 'cat'],
  16: ['animal', 'dog'],
  17: ['animal', 'horse'],
  18: ['animal', 'sheep'],
  19: ['animal', 'cow'],
  20: ['animal', 'elephant'],
  21: ['animal', 'bear'],
  22: ['animal', 'zebra'],
  23: ['animal', 'giraffe'],
  29: ['thing', 'disc'],
  32: ['thing', 'ball'],
  33: ['thing', 'kite'],
  36: ['thing', 'skateboard'],
  37: ['thing', 'surfboard'],
  77: ['thing', 'teddy bear'],
};

/** Less sure than this is not told. */
const leastScore = 0.3;
const leastFace = 0.6;

/** A model as the graph loader takes it, from the two files that it ships as. */
async function modelFrom(dir: string, name: string): Promise<GraphModel> {
  const described = JSON.parse(await readFile(join(dir, `${name}.json`), 'utf8')) as io.ModelJSON;
  const bytes = await readFile(join(dir, `${name}.bin`));
  const weightSpecs = described.weightsManifest.flatMap((w) => w.weights);
  const handler: io.IOHandler = {
    load: () =>
      Promise.resolve({
        modelTopology: described.modelTopology,
        weightSpecs,
        weightData: Uint8Array.from(bytes).buffer,
        format: described.format ?? '',
        generatedBy: described.generatedBy ?? '',
        convertedBy: described.convertedBy ?? '',
        ...(described.signature ? { signature: described.signature } : {}),
      }),
  };
  return loadGraphModel(handler);
}

export interface Detector {
  /**
   * @param rgb three bytes a pixel, as `detectorSize` says
   * @param size of the picture in its own shape
   * @param closer where nobody living is seen, the picture is looked at again in overlapping squares
   */
  see(rgb: Uint8Array, size: Size, closer: boolean): Promise<Seen[]>;
}

/** Loads the detector: things and creatures, and faces. Throws where a model is missing or damaged. */
export async function loadDetector(models: string): Promise<Detector> {
  setWasmPaths(`${dirname(require.resolve('@tensorflow/tfjs-backend-wasm/dist/tfjs-backend-wasm.wasm'))}/`);
  await setBackend('wasm');
  await ready();
  const things = await modelFrom(models, 'centernet');
  const faces = await modelFrom(models, 'blazeface');
  /** Looks at one square of a picture; boxes are in [0,1] of the square. */
  const seeSquare = async (input: Tensor): Promise<Seen[]> => {
    const found = things.execute(input, 'tower_0/detections') as Tensor;
    const rows = (await found.array()) as number[][] | number[][][];
    found.dispose();
    const list = (Array.isArray(rows[0]?.[0]) ? rows[0] : rows) as number[][];
    const seen = list.flatMap(([x1, y1, x2, y2, score, of]): Seen[] => {
      const known = classes[Math.round(of!)];
      if (!known || score! < leastScore) return [];
      return [
        {
          kind: known[0],
          what: known[1],
          score: score!,
          closer: false,
          x: x1! / detectorSide,
          y: y1! / detectorSide,
          width: (x2! - x1!) / detectorSide,
          height: (y2! - y1!) / detectorSide,
        },
      ];
    });
    return withoutTwins(seen.filter((s) => s.width > 0.005 && s.height > 0.005));
  };
  const detector: Detector = {
    see: async (rgb, { width, height }, closer) => {
      const wide = width > height;
      const both = tensor4d(
        Float32Array.from(rgb),
        wide ? [1, detectorSide, width + detectorSide, 3] : [1, height + detectorSide, detectorSide, 3],
      );
      const squeezed = slice(both, [0, 0, 0, 0], [1, detectorSide, detectorSide, 3]);
      const whole = slice(both, wide ? [0, 0, detectorSide, 0] : [0, detectorSide, 0, 0], [
        1,
        height,
        width,
        3,
      ]);
      both.dispose();
      try {
        const known = await seeSquare(squeezed);
        const seen = [...known, ...(await facesOf(faces, whole, { width, height }, known))];
        if (!closer || seen.some(isSomebody)) return seen;
        const more: Seen[] = [];
        const look = async (squares: readonly Square[]) => {
          for (const square of squares) {
            const { left, top, side } = square;
            const cut = tidy(() =>
              image.resizeBilinear(slice(whole, [0, top, left, 0], [1, side, side, 3]), [
                detectorSide,
                detectorSide,
              ]),
            );
            const found = await seeSquare(cut);
            cut.dispose();
            more.push(...found.map((s) => placed(s, square, { width, height })));
          }
        };
        await look(squaresOf({ width, height }));
        if (!more.some(isSomebody)) await look(strikingSquares(await whole.data(), { width, height }));
        return withoutTwins([...seen, ...more]);
      } finally {
        squeezed.dispose();
        whole.dispose();
      }
    },
  };
  // A damaged model may load and fail at work: it is tried once.
  await detector.see(
    new Uint8Array(2 * detectorSide * detectorSide * 3).fill(127),
    { width: detectorSide, height: detectorSide },
    false,
  );
  return detector;
}

/** Somebody or something is seen that a film may be about, large enough: there is no need to look closer. */
const isSomebody = (s: Seen): boolean =>
  (s.kind === 'person' || s.kind === 'animal' || s.kind === 'face' || s.kind === 'vehicle') &&
  s.score >= 0.4 &&
  s.width * s.height >= 0.008;

interface Square {
  left: number;
  top: number;
  side: number;
}

/** Overlapping squares along the picture's longer side: in them nothing is squeezed, and everything is larger. */
function squaresOf({ width, height }: Size): Square[] {
  const side = Math.min(width, height);
  const room = Math.max(width, height) - side;
  if (room < side * 0.1) return [];
  const count = room > side * 0.4 ? 3 : 2;
  return Array.from({ length: count }, (_, i) => {
    const at = Math.round((room * i) / (count - 1));
    return width > height ? { left: at, top: 0, side } : { left: 0, top: at, side };
  });
}

/** Of a picture that faces are looked for in, a face may fill this share: of a larger one the box is wrong. */
const largestFace = 0.5;
/** Sides of the squares around the whole picture, in its longer sides: the wider one is for faces that fill the picture. */
const around = { near: 1, far: 1.7 };
/** A face higher than this is looked at from farther away as well; share of the picture. */
const fillsPicture = 0.45;
/** Where a face is higher than this, smaller ones are scenery. */
const plainlySeen = 0.2;

/**
 * Faces of a picture, looked for in its own shape: squeezed ones are missed, and their boxes are wrong. Squares around the
 * picture show faces up to its full height; squares along its longer side show those down to a twentieth of it.
 *
 * @param people who was seen in the picture already
 */
async function facesOf(
  model: GraphModel,
  whole: Tensor4D,
  size: Size,
  people: readonly Seen[],
): Promise<Seen[]> {
  const { width, height } = size;
  const found: Seen[] = [];
  const look = async (square: Square) => {
    const { left, top, side } = square;
    const cut = tidy(() => {
      const inside = slice(
        whole,
        [0, Math.max(0, top), Math.max(0, left), 0],
        [1, Math.min(side, height), Math.min(side, width), 3],
      );
      const [above, before] = [Math.max(0, -top), Math.max(0, -left)];
      return pad(inside, [
        [0, 0],
        [above, Math.max(0, side - height - above)],
        [before, Math.max(0, side - width - before)],
        [0, 0],
      ]);
    });
    const seen = await facesIn(model, cut);
    cut.dispose();
    found.push(...seen.filter((s) => s.width <= largestFace).map((s) => placed(s, square, size)));
  };
  const lookAround = async (times: number) => {
    const side = Math.round(times * Math.max(width, height));
    await look({ left: Math.round((width - side) / 2), top: Math.round((height - side) / 2), side });
  };
  await lookAround(around.near);
  // Each look takes time: the others are taken only where they can show more.
  const tooNear = found.length === 0 && people.some((s) => s.kind === 'person' && s.height > 0.8);
  if (tooNear || found.some((s) => s.height > fillsPicture)) await lookAround(around.far);
  if (!found.some((s) => s.height > plainlySeen)) for (const square of squaresOf(size)) await look(square);
  return blended(found.map((s) => ({ ...s, closer: false })));
}

/** Faces that were found several times, at the average of their boxes: the surer a box, the more it counts. */
function blended(found: readonly Seen[]): Seen[] {
  return withoutTwins(found).map((best) => {
    const same = found.filter((s) => sharedShare(s, best) > 0.35);
    const weight = same.reduce((sum, s) => sum + s.score, 0);
    const mean = (of: (s: Seen) => number) => same.reduce((sum, s) => sum + s.score * of(s), 0) / weight;
    return {
      ...best,
      turned: mean((s) => s.turned ?? 0),
      x: mean((s) => s.x),
      y: mean((s) => s.y),
      width: mean((s) => s.width),
      height: mean((s) => s.height),
    };
  });
}

/** What two boxes share, of all that they cover. */
function sharedShare(a: Seen, b: Seen): number {
  const shared = sharedOf(a, b);
  return shared / (a.width * a.height + b.width * b.height - shared);
}

function sharedOf(a: Seen, b: Seen): number {
  const width = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x);
  const height = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y);
  return width > 0 && height > 0 ? width * height : 0;
}

/** Places of a picture that strike the eye, at most so many, each in a square with something of what is around it. */
const mostPlaces = 2;
/** A smaller square would be blown up beyond what the picture holds. */
const smallestSquare = 170;

function strikingSquares(rgb: Uint8Array | Int32Array | Float32Array, { width, height }: Size): Square[] {
  const k = 160 / Math.max(width, height);
  const small = { width: Math.round(width * k), height: Math.round(height * k) };
  const plane = small.width * small.height;
  const picture = new Uint8Array(plane * 3);
  for (let y = 0; y < small.height; y++)
    for (let x = 0; x < small.width; x++) {
      const from = (Math.floor((y + 0.5) / k) * width + Math.floor((x + 0.5) / k)) * 3;
      const [r, g, b] = [rgb[from] ?? 0, rgb[from + 1] ?? 0, rgb[from + 2] ?? 0];
      const at = y * small.width + x;
      // Rec. ITU-R BT.709, full range: only what differs from what counts here.
      picture[at] = 0.2126 * r + 0.7152 * g + 0.0722 * b;
      picture[plane + at] = 128 + (b - picture[at]!) / 1.8556;
      picture[2 * plane + at] = 128 + (r - picture[at]!) / 1.5748;
    }
  return standingOut(picture, small)
    .slice(0, mostPlaces)
    .map((p) => {
      const side = Math.min(width, height, Math.max(smallestSquare, (1.5 * Math.max(p.width, p.height)) / k));
      const clampTo = (middle: number, most: number) => Math.max(0, Math.min(most - side, middle - side / 2));
      return {
        side: Math.floor(side),
        left: Math.floor(clampTo((p.x + p.width / 2) / k, width)),
        top: Math.floor(clampTo((p.y + p.height / 2) / k, height)),
      };
    });
}

/** What was seen in a square, in [0,1] of the whole picture. */
const placed = (s: Seen, { left, top, side }: Square, { width, height }: Size): Seen => ({
  ...s,
  closer: true,
  x: (left + s.x * side) / width,
  y: (top + s.y * side) / height,
  width: (s.width * side) / width,
  height: (s.height * side) / height,
});

/** Side of the picture that faces are looked for in, and the two grids of places that are looked at, two and six for each cell. */
const faceSide = 256;
const anchors = [
  [16, 2],
  [8, 6],
].flatMap(([cells, each]) =>
  Array.from({ length: cells! * cells! * each! }, (_, i) => {
    const cell = Math.floor(i / each!);
    return [((cell % cells!) + 0.5) / cells!, (Math.floor(cell / cells!) + 0.5) / cells!] as const;
  }),
);

/** In a profile the nose stands this far from the middle of the eyes, face widths. */
const turnedAway = 0.2;

async function facesIn(model: GraphModel, input: Tensor): Promise<Seen[]> {
  const outputs = tidy(() => {
    const small = image.resizeBilinear(input as Parameters<typeof image.resizeBilinear>[0], [
      faceSide,
      faceSide,
    ]);
    // The model takes -0.5 to 0.5; scores and boxes come for both grids.
    return model.execute(mul(sub(div(small, 127.5), 1), 0.5)) as Tensor[];
  });
  const bySize = [...outputs].sort((a, b) => a.size - b.size);
  const [scores8, scores16, boxes8, boxes16] = (await Promise.all(bySize.map((t) => t.data()))) as [
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
  ];
  outputs.forEach((t) => t.dispose());
  return anchors.flatMap(([ax, ay], i): Seen[] => {
    const coarse = i >= 512;
    const n = coarse ? i - 512 : i;
    const score = 1 / (1 + Math.exp(-(coarse ? scores8[n]! : scores16[n]!)));
    if (score < leastFace) return [];
    const box = coarse ? boxes8.subarray(n * 16, n * 16 + 4) : boxes16.subarray(n * 16, n * 16 + 4);
    const [width, height] = [box[2]! / faceSide, box[3]! / faceSide];
    // The box is followed by the right eye, the left eye, the nose, the mouth and the ears, from the same corner.
    const points = coarse
      ? boxes8.subarray(n * 16 + 4, n * 16 + 10)
      : boxes16.subarray(n * 16 + 4, n * 16 + 10);
    const nose = (points[4]! - (points[0]! + points[2]!) / 2) / Math.max(1, box[2]!);
    return [
      {
        kind: 'face',
        what: 'face',
        score,
        closer: false,
        turned: Math.max(-1, Math.min(1, nose / turnedAway)),
        x: ax + box[0]! / faceSide - width / 2,
        y: ay + box[1]! / faceSide - height / 2,
        width,
        height,
      },
    ];
  });
}

/** Of boxes of one kind that lie on each other, the surest stays. */
function withoutTwins(all: readonly Seen[]): Seen[] {
  const kept: Seen[] = [];
  for (const s of [...all].sort((a, b) => b.score - a.score)) {
    const twin = kept.some((k) => {
      const shared = sharedOf(k, s);
      // A face that a square's edge has cut is a part of the same one.
      if (k.kind === 'face' && s.kind === 'face')
        return shared > 0.5 * Math.min(k.width * k.height, s.width * s.height);
      if (k.kind === 'face' || s.kind === 'face') return false;
      // One thing seen as two kinds (a lorry as a bus) is one thing.
      return sharedShare(k, s) > (k.kind === s.kind ? 0.45 : 0.8);
    });
    if (!twin) kept.push(s);
  }
  return kept;
}
