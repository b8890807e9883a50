import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execa } from 'execa';
import { createCanvas } from '@napi-rs/canvas';
import { fontFiles, heldFraming, startStyles, type Face, type VersionPlan } from '@mivvy/core';
import { fontPath } from '@mivvy/media';
import { runCommand } from './commands.ts';

/** Layers that travel in a plan file are drawn without the application. */
let dir: string;
const at = (name: string) => join(dir, name);
const book = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'flat',
      name: 'Flat',
      placements: [
        {
          id: 'flat-square',
          name: 'Square',
          frame: { width: 320, height: 320 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 12 } },
          audio: null,
        },
      ],
    },
  ],
};
let plan: VersionPlan;

beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy layers '));
  await execa('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', 'color=c=0x606060:s=320x180:r=25:d=2'],
    ...['-pix_fmt', 'yuv420p', at('film.mp4')],
  ]);
  await writeFile(at('book.json'), JSON.stringify(book));
  const canvas = createCanvas(40, 40);
  const pen = canvas.getContext('2d');
  pen.fillStyle = '#ffffff';
  pen.fillRect(0, 0, 40, 40);
  const png = await canvas.encode('png');
  const sha256 = createHash('sha256').update(png).digest('hex');
  const common = { span: { from: 10, to: 20 }, fadeIn: 0, fadeOut: 0, otherwise: {} };
  plan = {
    format: 'mivvy-version-plan',
    version: 1,
    master: { displayed: { width: 320, height: 180 }, rate: { num: 25, den: 1 }, frames: 50 },
    framing: heldFraming(),
    layers: [
      {
        ...common,
        id: 'mark1',
        name: 'Mark',
        what: { kind: 'picture', picture: { sha256, name: 'mark.png', width: 40, height: 40 } },
        place: { anchor: 'top left', across: 0, down: 0, width: 0.25 },
      },
      {
        ...common,
        id: 'title1',
        name: 'Title',
        what: {
          kind: 'words',
          text: 'Kite',
          style: { ...startStyles[1]!, plate: { colour: '#ffffff', opacity: 1 } },
        },
        place: { anchor: 'bottom', across: 0, down: 0, width: 1 },
      },
    ],
    pictures: { [sha256]: png.toString('base64') },
  };
}, 150_000);
afterAll(() => rm(dir, { recursive: true, force: true }));

let serial = 0;
async function deliverPlan(of: VersionPlan) {
  await writeFile(at('version.plan.json'), JSON.stringify(of));
  const out = at(`out ${++serial}`);
  const told: string[] = [];
  const code = await runCommand(
    'deliver',
    [
      ...['--master', at('film.mp4'), '--specs', at('book.json'), '--placement', 'flat-square'],
      ...['--plan', at('version.plan.json'), '--out', out, '--quiet'],
    ],
    { print: () => undefined, tell: (line) => told.push(line) },
    new AbortController().signal,
  );
  return { code, told, out, files: await readdir(out).catch(() => [] as string[]) };
}

/** Brightness of one pixel at a frame. */
async function lumaAt(path: string, frame: number, x: number, y: number): Promise<number> {
  const { stdout } = await execa(
    'ffmpeg',
    [
      ...['-v', 'error', '-i', path, '-vf', `select=eq(n\\,${frame}),format=gray,crop=1:1:${x}:${y}`],
      ...['-frames:v', '1', '-f', 'rawvideo', 'pipe:1'],
    ],
    { encoding: 'buffer' },
  );
  return stdout[0]!;
}

test('words and pictures of a plan are drawn from their first frame to their last', async () => {
  const { code, out, files } = await deliverPlan(plan);
  expect(code).toBe(0);
  const file = join(
    out,
    files.find((name) => name.endsWith('.mp4'))!,
  );
  // The picture stands 5 % from the corner; the plate of the words stands in the middle, 5 % above the lower edge.
  for (const [x, y] of [
    [30, 30],
    [160, 300],
  ] as const) {
    const seen = await Promise.all([9, 10, 19, 20].map((frame) => lumaAt(file, frame, x, y)));
    expect(seen.map((luma) => luma > 180)).toEqual([false, true, true, false]);
  }
}, 150_000);

test('a plan whose picture is missing or was changed is refused in a sentence, and nothing is written', async () => {
  const [sum] = Object.keys(plan.pictures!);
  const { pictures: _pictures, ...without } = plan;
  const lacking = await deliverPlan(without);
  expect([lacking.code, lacking.files]).toEqual([2, []]);
  expect(lacking.told.join(' ')).toMatch(/lacks the picture of “Mark”/);
  const changed = await deliverPlan({
    ...plan,
    pictures: { [sum!]: Buffer.from('other').toString('base64') },
  });
  expect(changed.code).toBe(2);
  expect(changed.told.join(' ')).toMatch(/holds a picture that was changed/);
}, 150_000);

/** The plan with words alone, in a typeface. */
const setIn = (face: Face): VersionPlan => {
  const { pictures: _pictures, layers, ...rest } = plan;
  const title = layers!.find(({ what }) => what.kind === 'words')!;
  const what = title.what as Extract<typeof title.what, { kind: 'words' }>;
  return { ...rest, layers: [{ ...title, what: { ...what, style: { ...what.style, face } } }] };
};
/** A sum of all pictures of a finished file. */
async function picturesOf({ out, files }: Awaited<ReturnType<typeof deliverPlan>>): Promise<string> {
  const path = join(
    out,
    files.find((name) => name.endsWith('.mp4'))!,
  );
  return (await execa('ffmpeg', ['-v', 'error', '-i', path, '-f', 'md5', '-'])).stdout;
}

test('words in a typeface of somebody’s own are drawn from the file that the plan carries', async () => {
  const file = fontFiles.find(({ name }) => name === 'noto-serif-latin-800-normal.woff2')!;
  const bytes = await readFile(fontPath(file));
  const own = createHash('sha256').update(bytes).digest('hex');
  const inOwn = setIn({ own, name: 'House' });
  const carried = { ...inOwn, typefaces: { [own]: bytes.toString('base64') } };
  const [drawn, same, other] = [
    await deliverPlan(carried),
    await deliverPlan(setIn({ family: 'Noto Serif', weight: 800 })),
    await deliverPlan(setIn({ family: 'Archivo', weight: 800 })),
  ];
  expect([drawn.code, same.code, other.code]).toEqual([0, 0, 0]);
  expect(await picturesOf(drawn)).toBe(await picturesOf(same));
  expect(await picturesOf(drawn)).not.toBe(await picturesOf(other));
  const lacking = await deliverPlan(inOwn);
  expect([lacking.code, lacking.files]).toEqual([2, []]);
  expect(lacking.told.join(' ')).toMatch(/lacks the typeface of “Title”/);
  const changed = await deliverPlan({ ...carried, typefaces: { [own]: 'AAAA' } });
  expect(changed.told.join(' ')).toMatch(/holds a typeface that was changed/);
}, 150_000);
