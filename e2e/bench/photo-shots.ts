import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { execa } from 'execa';

/**
 * Shots made of photographs, of which it is known where the subject is: creatures over scenery, beside something
 * colourful, moving, stopping, under a shaking camera. The photographs are those of Debian's `opencv-doc`, which is not
 * installed for this: where they are missing, that is said.
 */
export interface PhotoShot {
  name: string;
  scenery: string;
  subject: Pasted;
  others: readonly Pasted[];
  shakes?: true;
}

/** A photograph cut out as an oval: which part of it, how high on the picture, and where its middle is at a time. */
interface Pasted {
  photo: keyof typeof cuts;
  /** Share of the picture's height. */
  height: number;
  /** Middle in [0,1] of the picture; seconds. */
  x: (t: number) => number;
  y: number;
}

/** Which part of each photograph is used: width, height, left, top. */
const cuts = {
  'squirrel_cls.jpg': [290, 300, 120, 80],
  'chicky_512.png': [400, 480, 90, 20],
  'butterfly.jpg': [480, 260, 6, 60],
  'baboon.jpg': [500, 512, 6, 0],
  'orange.jpg': [512, 512, 0, 0],
  'apple.jpg': [512, 512, 0, 0],
  'fruits.jpg': [470, 470, 20, 5],
} as const;

export const photoSize = { width: 960, height: 540 };
export const photoRate = 25;
export const photoFrames = 75;

const still = (x: number) => () => x;
const [squirrel, dog, butterfly, baboon] = [
  'squirrel_cls.jpg',
  'chicky_512.png',
  'butterfly.jpg',
  'baboon.jpg',
] as const;
const [orange, apple, fruits] = ['orange.jpg', 'apple.jpg', 'fruits.jpg'] as const;
const put = (photo: Pasted['photo'], height: number, x: Pasted['x'], y: number): Pasted => ({
  photo,
  height,
  x,
  y,
});

export const photoShots: readonly PhotoShot[] = [
  {
    name: 'a dog and an orange, still',
    scenery: 'building.jpg',
    subject: put(dog, 0.55, still(0.2), 0.6),
    others: [put(orange, 0.4, still(0.8), 0.6)],
  },
  {
    name: 'a squirrel and an apple, still',
    scenery: 'leuvenA.jpg',
    subject: put(squirrel, 0.5, still(0.8), 0.6),
    others: [put(apple, 0.4, still(0.2), 0.6)],
  },
  {
    name: 'a baboon and fruit, still',
    scenery: 'home.jpg',
    subject: put(baboon, 0.5, still(0.22), 0.55),
    others: [put(fruits, 0.45, still(0.78), 0.55)],
  },
  {
    name: 'a butterfly that goes',
    scenery: 'leuvenA.jpg',
    subject: put(butterfly, 0.35, (t) => 0.2 + 0.2 * t, 0.5),
    others: [],
  },
  { name: 'a small dog, still', scenery: 'home.jpg', subject: put(dog, 0.3, still(0.75), 0.65), others: [] },
  {
    name: 'a squirrel, shaking',
    scenery: 'building.jpg',
    subject: put(squirrel, 0.55, still(0.3), 0.6),
    others: [],
    shakes: true,
  },
  {
    name: 'a dog that walks, shaking',
    scenery: 'leuvenA.jpg',
    subject: put(dog, 0.5, (t) => 0.2 + 0.18 * t, 0.6),
    others: [],
    shakes: true,
  },
  {
    name: 'a dog that stops while an apple goes',
    scenery: 'building.jpg',
    subject: put(dog, 0.5, (t) => 0.15 + 0.25 * Math.min(t, 1.2), 0.6),
    others: [put(apple, 0.25, (t) => 0.95 - 0.2 * Math.max(t - 1.4, 0), 0.35)],
  },
  {
    name: 'a butterfly and an orange, still',
    scenery: 'stuff.jpg',
    subject: put(butterfly, 0.4, still(0.7), 0.5),
    others: [put(orange, 0.35, still(0.2), 0.6)],
  },
  {
    name: 'a squirrel that goes, and an orange',
    scenery: 'leuvenA.jpg',
    subject: put(squirrel, 0.5, (t) => 0.75 - 0.12 * t, 0.6),
    others: [put(orange, 0.45, still(0.12), 0.55)],
  },
  { name: 'a dog, close', scenery: 'stuff.jpg', subject: put(dog, 0.85, still(0.68), 0.55), others: [] },
  {
    name: 'a baboon that goes',
    scenery: 'aero1.jpg',
    subject: put(baboon, 0.45, (t) => 0.7 - 0.15 * t, 0.55),
    others: [],
  },
  {
    name: 'a butterfly and an apple, shaking',
    scenery: 'home.jpg',
    subject: put(butterfly, 0.35, still(0.25), 0.6),
    others: [put(apple, 0.3, still(0.8), 0.7)],
    shakes: true,
  },
  {
    name: 'a small squirrel and fruit',
    scenery: 'leuvenA.jpg',
    subject: put(squirrel, 0.32, still(0.15), 0.7),
    others: [put(fruits, 0.4, still(0.8), 0.6)],
  },
];

/** Where the photographs are, if they are; null otherwise. */
export function photoFolder(): string | null {
  const folder = process.env.MIVVY_PHOTOS ?? '/usr/share/doc/opencv-doc/examples/data';
  return existsSync(join(folder, squirrel)) ? folder : null;
}

/** How far a shaking camera is off at a frame, pixels. */
const shakeAt = (n: number) => ({
  x: 9 * Math.sin(n * 2.1) + 5 * Math.sin(n * 3.7),
  y: 6 * Math.sin(n * 2.6) + 4 * Math.sin(n * 4.3),
});
const sizeOf = ({ photo, height }: Pasted) => {
  const [w, h] = cuts[photo];
  const tall = 2 * Math.round((height * photoSize.height) / 2);
  return { width: 2 * Math.round((tall * w) / h / 2), height: tall };
};

/** Where the subject is at a frame, in [0,1] of the picture. */
export function photoTruth(shot: PhotoShot, frame: number): { x: number; y: number; w: number; h: number } {
  const { width, height } = photoSize;
  const off = shot.shakes ? shakeAt(frame) : { x: 0, y: 0 };
  const size = sizeOf(shot.subject);
  // The oval fades at its edge.
  const [w, h] = [(size.width - 8) / width, (size.height - 8) / height];
  return {
    x: shot.subject.x(frame / photoRate) - off.x / width - w / 2,
    y: shot.subject.y - off.y / height - h / 2,
    w,
    h,
  };
}

/** Draws a shot as a film. The places of what moves are told to ffmpeg frame by frame. */
export async function makePhotoShot(shot: PhotoShot, folder: string, path: string): Promise<void> {
  const { width, height } = photoSize;
  const around = 60;
  const items = [...shot.others, shot.subject];
  const each = (at: (n: number) => number) =>
    Array.from({ length: photoFrames }, (_, n) => `${Math.round(at(n))}*eq(n\\,${n})`).join('+');
  const off = (n: number) => (shot.shakes ? shakeAt(n) : { x: 0, y: 0 });
  const parts = [
    `[0]scale=${width + 2 * around}:${height + 2 * around}:force_original_aspect_ratio=increase,crop=${width}:${height}:x='${each((n) => around + off(n).x)}':y='${each((n) => around + off(n).y)}'[b0]`,
    ...items.flatMap((item, i) => {
      const [w, h, x, y] = cuts[item.photo];
      const size = sizeOf(item);
      const oval = `255*clip((1-hypot((X-W/2)/(W/2)\\,(Y-H/2)/(H/2)))*W/16\\,0\\,1)`;
      const left = each((n) => item.x(n / photoRate) * width - size.width / 2 - off(n).x);
      const top = each((n) => item.y * height - size.height / 2 - off(n).y);
      return [
        `[${i + 1}]crop=${w}:${h}:${x}:${y},scale=${size.width}:${size.height},format=rgba,geq=r='r(X,Y)':g='g(X,Y)':b='b(X,Y)':a='${oval}'[s${i}]`,
        `[b${i}][s${i}]overlay=x='${left}':y='${top}':eval=frame[b${i + 1}]`,
      ];
    }),
    `[b${items.length}]noise=alls=4:allf=t:all_seed=5,format=yuv420p[v]`,
  ];
  const photo = (name: string) => ['-loop', '1', '-framerate', String(photoRate), '-i', join(folder, name)];
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', ...photo(shot.scenery), ...items.flatMap((item) => photo(item.photo))],
    ...['-filter_complex', parts.join(';'), '-map', '[v]', '-frames:v', String(photoFrames)],
    ...['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '16', '-color_primaries', 'bt709'],
    ...['-color_trc', 'bt709', '-colorspace', 'bt709', path],
  ]);
}
