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
  ready,
  setBackend,
  sub,
  tensor4d,
  tidy,
  type io,
  type Tensor,
} from '@tensorflow/tfjs-core';
import * as z from 'zod';
import { subjectKinds } from '@mivvy/core';

const require = createRequire(import.meta.url);

/** What the detector saw in one picture; the box in [0,1] of it. */
export const seenSchema = z.object({
  kind: z.enum(subjectKinds),
  what: z.string(),
  score: z.number(),
  x: z.number(),
  y: z.number(),
  width: z.number(),
  height: z.number(),
});
export type Seen = z.infer<typeof seenSchema>;

/** Side of the square pictures that the detector is shown, whatever the film's shape; RGB bytes. */
export const detectorSide = 512;

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
  /** @param rgb {@link detectorSide} squared, three bytes a pixel */
  see(rgb: Uint8Array): Promise<Seen[]>;
}

/** Folder of the models that ship with the product. */
export function shippedModels(): string {
  // The package names no file of its own but its entry, two folders below its root.
  return join(dirname(require.resolve('@vladmandic/human')), '..', 'models');
}

/** Loads the detector: things and creatures, and faces. Throws where a model is missing or damaged. */
export async function loadDetector(models: string): Promise<Detector> {
  setWasmPaths(`${dirname(require.resolve('@tensorflow/tfjs-backend-wasm/dist/tfjs-backend-wasm.wasm'))}/`);
  await setBackend('wasm');
  await ready();
  const things = await modelFrom(models, 'centernet');
  const faces = await modelFrom(models, 'blazeface');
  const detector: Detector = {
    see: async (rgb) => {
      const input = tensor4d(Float32Array.from(rgb), [1, detectorSide, detectorSide, 3]);
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
            x: x1! / detectorSide,
            y: y1! / detectorSide,
            width: (x2! - x1!) / detectorSide,
            height: (y2! - y1!) / detectorSide,
          },
        ];
      });
      const all = [...seen, ...(await facesIn(faces, input))];
      input.dispose();
      return withoutTwins(all.filter((s) => s.width > 0.005 && s.height > 0.005));
    },
  };
  // A damaged model may load and fail at work: it is tried once.
  await detector.see(new Uint8Array(detectorSide * detectorSide * 3).fill(127));
  return detector;
}

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
    return [
      {
        kind: 'face',
        what: 'face',
        score,
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
      const width = Math.min(k.x + k.width, s.x + s.width) - Math.max(k.x, s.x);
      const height = Math.min(k.y + k.height, s.y + s.height) - Math.max(k.y, s.y);
      if (width <= 0 || height <= 0) return false;
      const shared = width * height;
      const either = k.width * k.height + s.width * s.height - shared;
      // One thing seen as two kinds (a lorry as a bus) is one thing.
      return (k.kind === s.kind && shared / either > 0.45) || shared / either > 0.8;
    });
    if (!twin) kept.push(s);
  }
  return kept;
}
