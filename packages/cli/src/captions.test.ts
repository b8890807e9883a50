import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execa } from 'execa';
import { copyFile, mkdtemp, readdir, readFile, rm, truncate, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { runCommand, type CommandName } from './commands.ts';

let dir: string;
let serial = 0;
const at = (name: string) => join(dir, name);

interface Check {
  id: string;
  expected: string;
  measured: string;
  ok: boolean;
  spans?: { from: number; to: number }[];
  mend?: string;
}
interface Line {
  event: string;
  placement?: string;
  stage?: string;
  fraction?: number;
  status?: string;
  file?: string | null;
  captions?: string;
  cover?: string;
  checks?: Check[];
  troubles?: { code: string; sentence: string }[];
}

async function run(name: CommandName, ...args: string[]) {
  const lines: Line[] = [];
  const told: string[] = [];
  const code = await runCommand(
    name,
    args,
    { print: (l) => lines.push(JSON.parse(l) as Line), tell: (l) => told.push(l) },
    new AbortController().signal,
  );
  return { code, lines, told };
}
async function deliverTo(captions: string | null, ...more: string[]) {
  const out = at(`out ${++serial}`);
  const said = await run(
    'deliver',
    ...['--master', at('film.mp4'), '--specs', at('book.json'), '--out', out, '--quiet'],
    ...(captions ? ['--captions', at(captions)] : []),
    ...more,
  );
  return { ...said, out, files: await readdir(out).catch(() => [] as string[]) };
}
const made = (lines: Line[], placement: string) =>
  lines.find((l) => l.event === 'deliverable' && l.placement === placement)!;

const words = `1
00:00:00,400 --> 00:00:01,600
The kettle is on, and the boats are coming in

2
00:00:02,000 --> 00:00:03,000
Über die Brücke & zurück
`;

beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy captions '));
  await execa('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', 'mandelbrot=s=320x180:rate=25:end_pts=300', '-t', '4'],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-crf', '12', '-pix_fmt', 'yuv420p', at('film.mp4')],
  ]);
  const common = {
    container: 'mp4',
    video: { codec: 'h264', rate: { mode: 'quality', crf: 24 } },
    audio: null,
  };
  await writeFile(
    at('book.json'),
    JSON.stringify({
      format: 'mivvy-spec-book',
      version: 1,
      outlets: [
        {
          id: 'o',
          name: 'Outlet',
          placements: [
            {
              id: 'beside',
              name: 'Beside',
              frame: { width: 240, height: 240 },
              captions: 'sidecar',
              ...common,
            },
            {
              id: 'web',
              name: 'Web',
              frame: { width: 320, height: 180 },
              captions: 'sidecar',
              captionFormat: 'vtt',
              ...common,
            },
            {
              id: 'burned',
              name: 'Burned',
              frame: { width: 360, height: 640 },
              captions: 'burned',
              safeMargin: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
              blocked: [{ name: 'buttons', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
              ...common,
            },
            {
              id: 'cover',
              name: 'With a cover',
              frame: { width: 180, height: 320 },
              cover: { width: 360, height: 640, format: 'png' },
              ...common,
            },
            { id: 'none', name: 'None', frame: { width: 240, height: 240 }, captions: 'none', ...common },
            {
              id: 'covered',
              name: 'Covered',
              frame: { width: 240, height: 240 },
              captions: 'burned',
              blocked: [{ name: 'all', x: 0, y: 0, width: 1, height: 1 }],
              ...common,
            },
          ],
        },
      ],
    }),
  );
  await writeFile(at('words.srt'), words);
  await writeFile(at('old.srt'), Buffer.from(words, 'latin1'));
  await writeFile(at('wide.srt'), Buffer.from(`\uFEFF${words}`, 'utf16le'));
  await writeFile(at('empty.srt'), 'nothing to read here\n');
});
afterAll(() => rm(dir, { recursive: true, force: true }));

describe('captions beside the film', () => {
  test('as SubRip or WebVTT, under the film’s name, in the times of the cut and the pace', async () => {
    const { code, lines, files } = await deliverTo(
      'words.srt',
      ...[
        '--placement',
        'beside',
        '--placement',
        'web',
        '--placement',
        'none',
        '--in',
        '1s',
        '--pace',
        '1.25',
      ],
    );
    expect(code).toBe(0);
    const [srt, vtt] = [made(lines, 'beside'), made(lines, 'web')];
    expect(srt.captions).toBe(srt.file!.replace(/\.mp4$/, '.srt'));
    expect(vtt.captions).toBe(vtt.file!.replace(/\.mp4$/, '.vtt'));
    expect(made(lines, 'none').captions).toBeUndefined();
    expect(files.toSorted()).toEqual(
      [srt.file!, srt.captions!, vtt.file!, vtt.captions!, made(lines, 'none').file!]
        .map((f) => basename(f))
        .toSorted(),
    );
    // From 1 s on at 1.25: 0.4–1.6 is clipped to 0–0.48, and 2–3 becomes 0.8–1.6.
    expect(await readFile(srt.captions!, 'utf8')).toBe(
      '1\n00:00:00,000 --> 00:00:00,480\nThe kettle is on,\nand the boats are coming in\n\n2\n00:00:00,800 --> 00:00:01,600\nÜber die Brücke & zurück\n',
    );
    expect(await readFile(vtt.captions!, 'utf8')).toContain(
      '00:00:00.800 --> 00:00:01.600\nÜber die Brücke &amp; zurück',
    );
    expect(srt.checks!.find((c) => c.id === 'captions')).toMatchObject({ ok: true, measured: '2 cues' });
  });

  test.each(['old.srt', 'wide.srt'])(
    '%s, of another encoding, is read all the same, and that is said',
    async (file) => {
      const { lines, told } = await deliverTo(file, '--placement', 'beside');
      expect(await readFile(made(lines, 'beside').captions!, 'utf8')).toContain('Über die Brücke & zurück');
      expect(told.join(' ')).toMatch(/its letters were read as/);
    },
  );

  test('a film and a caption file of another making keep their names', async () => {
    const { out, lines } = await deliverTo('words.srt', '--placement', 'beside');
    const first = made(lines, 'beside');
    await rm(first.file!);
    const again = await run(
      'deliver',
      ...['--master', at('film.mp4'), '--specs', at('book.json'), '--out', out, '--quiet'],
      ...['--captions', at('words.srt'), '--placement', 'beside'],
    );
    expect(made(again.lines, 'beside').captions).not.toBe(first.captions);
    expect((await readdir(out)).filter((f) => f.endsWith('.srt'))).toHaveLength(2);
  });

  test('a place that asks for captions and gets none says so', async () => {
    const { code, lines } = await deliverTo(null, '--placement', 'beside');
    expect(code).toBe(0);
    expect(made(lines, 'beside').troubles!.map((t) => t.code)).toContain('no-captions');
    expect(made(lines, 'beside').captions).toBeUndefined();
  });

  test('captions of which none falls into the cut make no file', async () => {
    const { lines, files } = await deliverTo('words.srt', '--placement', 'beside', '--in', '3.2s');
    expect(files).toHaveLength(1);
    expect(
      made(lines, 'beside')
        .troubles!.map((t) => t.sentence)
        .join(' '),
    ).toMatch(/None of the captions/);
  });

  test('a file that holds no captions: one sentence, exit 2, nothing written', async () => {
    const { code, told, files, lines } = await deliverTo('empty.srt', '--placement', 'beside');
    expect([code, files, lines]).toEqual([2, [], []]);
    expect(told).toHaveLength(1);
    expect(told[0]).toMatch(/^empty\.srt holds no captions/);
  });
});

/** Luma of some pictures of a film, by frame, decoded by ffmpeg alone. */
async function lumaOf(path: string, frames: number[], size: { width: number; height: number }) {
  const { stdout } = await execa(
    'ffmpeg',
    [
      ...[
        '-v',
        'error',
        '-i',
        path,
        '-vf',
        `select=${frames.map((f) => `eq(n\\,${f})`).join('+')},format=yuv420p,extractplanes=y`,
      ],
      ...['-fps_mode', 'passthrough', '-f', 'rawvideo', '-'],
    ],
    { encoding: 'buffer' },
  );
  const length = size.width * size.height;
  return frames.map((_, i) => stdout.subarray(i * length, (i + 1) * length));
}

/** The box around everything of a picture that is as bright as captions' letters are. */
function brightBox(
  luma: Uint8Array,
  width: number,
): { left: number; right: number; top: number; bottom: number } | null {
  let box: ReturnType<typeof brightBox> = null;
  luma.forEach((v, i) => {
    if (v < 228) return;
    const [x, y] = [i % width, Math.floor(i / width)];
    box = box
      ? {
          left: Math.min(box.left, x),
          right: Math.max(box.right, x + 1),
          top: Math.min(box.top, y),
          bottom: Math.max(box.bottom, y + 1),
        }
      : { left: x, right: x + 1, top: y, bottom: y + 1 };
  });
  return box;
}

describe('captions drawn into the picture', () => {
  beforeAll(async () => {
    // A dark film, so that nothing but captions is bright.
    await execa('ffmpeg', [
      ...[
        '-v',
        'error',
        '-f',
        'lavfi',
        '-i',
        'testsrc2=s=320x180:r=25:d=4',
        '-vf',
        'eq=brightness=-0.35:contrast=0.6',
      ],
      ...['-pix_fmt', 'yuv420p', at('dark.mp4')],
    ]);
  }, 150_000);
  test('from their first frame to their last, inside the margin, beside what the outlet draws', async () => {
    const { lines, code } = await deliverTo('words.srt', '--placement', 'burned', '--master', at('dark.mp4'));
    const file = made(lines, 'burned');
    expect(code).toBe(0);
    expect(file.captions).toBeUndefined();
    expect(file.checks!.find((c) => c.id === 'captions')).toMatchObject({ ok: true, measured: 'as planned' });
    const size = { width: 360, height: 640 };
    // 0.4 to 1.6 s and 2 to 3 s at 25 a second.
    const frames = [9, 10, 39, 40, 49, 50, 74, 75];
    const boxes = (await lumaOf(file.file!, frames, size)).map((luma) => brightBox(luma, size.width));
    expect(boxes.map((box) => box !== null)).toEqual([false, true, true, false, false, true, true, false]);
    for (const box of boxes.filter((b) => b !== null)) {
      expect(box.left).toBeGreaterThanOrEqual(0.05 * 360);
      expect(box.right).toBeLessThanOrEqual(0.95 * 360);
      expect(box.bottom).toBeLessThanOrEqual(0.95 * 640);
      const besideButtons = box.right <= 0.86 * 360 || box.top >= 0.83 * 640 || box.bottom <= 0.45 * 640;
      expect(besideButtons).toBe(true);
    }
  }, 150_000);

  test('they make room for what a plan names, and a file is checked with the same', async () => {
    const plan = {
      format: 'mivvy-version-plan',
      version: 1,
      master: { displayed: { width: 320, height: 180 }, rate: { num: 25, den: 1 }, frames: 100 },
      framing: { version: 1, stretches: [] },
    };
    const held = { from: 0, setup: '1', move: { kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } } };
    // A face that stands where the captions would, while the first cue is shown.
    const face = { span: { from: 0, to: 45 }, keys: [{ at: 0, x: 0.3, y: 0.75, width: 0.4, height: 0.25 }] };
    const file = { ...plan, framing: { version: 1, stretches: [held] } };
    await writeFile(at('without.plan.json'), JSON.stringify(file));
    await writeFile(at('room.plan.json'), JSON.stringify({ ...file, roomFor: [face] }));
    const film = ['--placement', 'burned', '--master', at('dark.mp4'), '--plan'];
    const bottoms = async (name: string) => {
      const { lines, code } = await deliverTo('words.srt', ...film, at(name));
      expect(code).toBe(0);
      const path = made(lines, 'burned').file!;
      const boxes = (await lumaOf(path, [20, 60], { width: 360, height: 640 })).map((l) =>
        brightBox(l, 360)!,
      );
      return { path, boxes };
    };
    const without = await bottoms('without.plan.json');
    const room = await bottoms('room.plan.json');
    // The first cue is out of its way; the second, after the face has gone, stands where it always does.
    expect(room.boxes[0]!.bottom).toBeLessThan(0.75 * 640);
    expect(without.boxes[0]!.bottom).toBeGreaterThan(0.75 * 640);
    expect(room.boxes[1]).toEqual(without.boxes[1]);
    const checked = async (name: string) => {
      const { lines } = await run(
        'check',
        ...[
          '--file',
          room.path,
          '--specs',
          at('book.json'),
          ...film,
          at(name),
          '--captions',
          at('words.srt'),
        ],
      );
      return lines
        .find((l) => l.event === 'report')!
        .checks!.filter((c) => !c.ok)
        .map((c) => c.id);
    };
    expect(await checked('room.plan.json')).toEqual([]);
    expect(await checked('without.plan.json')).toContain('captions');
  }, 150_000);

  test('a frame without room for them is refused, with the reason', async () => {
    const { code, lines, files } = await deliverTo('words.srt', '--placement', 'covered');
    expect([code, files]).toEqual([1, []]);
    expect(made(lines, 'covered').status).toBe('refused');
    expect(made(lines, 'covered').troubles!.map((t) => t.code)).toContain('captions-no-room');
  });
});

describe('checking a finished file', () => {
  const book = () => ['--specs', at('book.json')];
  const report = (lines: Line[]) => lines.find((l) => l.event === 'report')!;
  const failing = (lines: Line[]) => report(lines).checks!.filter((c) => !c.ok);

  test('beside its master, or by its placement alone', async () => {
    const file = made(
      (await deliverTo('words.srt', '--placement', 'beside', '--to', '2s')).lines,
      'beside',
    ).file!;
    const alone = await run('check', '--file', file, ...book(), '--placement', 'beside');
    expect([alone.code, report(alone.lines).status]).toEqual([0, 'passed']);
    expect(report(alone.lines).checks!.map((c) => c.id)).not.toContain('crop');
    const how = ['--master', at('film.mp4'), '--to', '2s', '--captions', at('words.srt')];
    const beside = await run('check', '--file', file, ...book(), '--placement', 'beside', ...how);
    expect([beside.code, failing(beside.lines)]).toEqual([0, []]);
    expect(report(beside.lines).checks!.map((c) => c.id)).toEqual(
      expect.arrayContaining(['length', 'picture', 'crop', 'missing', 'captions']),
    );
    const ended = ({ lines }: typeof beside) =>
      new Set(lines.filter((l) => l.event === 'progress' && l.fraction === 1).map((l) => l.stage));
    expect([ended(alone), ended(beside)]).toEqual([new Set(['measure']), new Set(['measure', 'compare'])]);
    // Framed otherwise than it was, it is another part of the master.
    const moved = await run(
      'check',
      '--file',
      file,
      ...book(),
      '--placement',
      'beside',
      '--quiet',
      ...how,
      '--at',
      '0.4,0.5',
    );
    expect(moved.code).toBe(1);
    expect(failing(moved.lines).map((c) => c.id)).toEqual(['crop']);
    expect(failing(moved.lines)[0]!.mend).toBe('Export it again from its framing.');
    expect(moved.lines.map((l) => l.event)).toEqual(['report']);
    // Another place wants other things of it.
    const elsewhere = await run('check', '--file', file, ...book(), '--placement', 'web', '--quiet');
    expect(failing(elsewhere.lines).map((c) => c.id)).toEqual(['frame-size']);
    // Its captions are gone.
    await rm(file.replace(/mp4$/, 'srt'));
    const bare = await run('check', '--file', file, ...book(), '--placement', 'beside', '--quiet', ...how);
    expect(failing(bare.lines).map((c) => c.id)).toEqual(['captions']);
  }, 225_000);

  test('captions that are drawn a few frames late are told', async () => {
    const late = words.replace('00:00:00,400', '00:00:00,600');
    await writeFile(at('late.srt'), late);
    const file = made((await deliverTo('late.srt', '--placement', 'burned')).lines, 'burned').file!;
    const how = ['--master', at('film.mp4'), '--captions', at('words.srt'), '--quiet'];
    const { lines } = await run('check', '--file', file, ...book(), '--placement', 'burned', ...how);
    expect(failing(lines).map((c) => c.id)).toEqual(['captions']);
    expect(failing(lines)[0]!.spans).toEqual([{ from: 10, to: 40 }]);
  }, 150_000);

  test.each<[string, () => string[], RegExp]>([
    ['no file', () => [], /--file is missing/],
    ['a file that is not there', () => ['--file', at('gone.mp4')], /There is no file at/],
    ['a file that is no film', () => ['--file', at('book.json')], /not a film|not a video/],
    [
      'a framing that cannot be checked',
      () => ['--file', at('film.mp4'), '--framing', 'follow'],
      /--framing follow cannot/,
    ],
    ['a cut without its master', () => ['--file', at('film.mp4'), '--in', '1s'], /they need --master/],
    [
      'a master that is none',
      () => ['--file', at('film.mp4'), '--master', at('words.srt')],
      /not a film|not a video/,
    ],
  ])('wrong use, %s: one sentence and exit 2', async (_what, args, sentence) => {
    const { code, lines, told } = await run(
      'check',
      ...book(),
      '--placement',
      'beside',
      '--quiet',
      ...args(),
    );
    expect([code, lines]).toEqual([2, []]);
    expect(told).toHaveLength(1);
    expect(told[0]).toMatch(sentence);
  });

  test('a file that breaks off is told in words, and nothing crashes', async () => {
    await copyFile(at('film.mp4'), at('broken.mp4'));
    await truncate(at('broken.mp4'), 60_000);
    const { code, told, lines } = await run(
      'check',
      '--file',
      at('broken.mp4'),
      ...book(),
      '--placement',
      'beside',
      '--quiet',
    );
    expect(code === 2 ? told.join(' ') : report(lines).status).toMatch(/incomplete|failed/);
  });
});

test('a cover lies beside its film, of the picture that was asked for; it is checked with it', async () => {
  const { code, lines, out, files } = await deliverTo(null, '--placement', 'cover', '--cover', '2.0s');
  const event = made(lines, 'cover');
  expect([code, event.status, files.length]).toEqual([0, 'passed', 2]);
  expect(basename(event.cover!)).toBe(basename(event.file!).replace('.mp4', '.png'));
  expect(event.checks!.find((c) => c.id === 'cover')!.expected).toMatch(
    /PNG of 360 × 640, the film at 00:00:02:00/,
  );
  const check = (...more: string[]) =>
    run(
      'check',
      ...['--file', event.file!, '--specs', at('book.json'), '--placement', 'cover', '--quiet'],
      ...['--master', at('film.mp4'), ...more],
    );
  expect((await check('--cover', '2.0s')).code).toBe(0);
  // Another picture is wanted, then none is there.
  const wrong = await check('--cover', '0.2s');
  expect([wrong.code, wrong.lines.at(-1)!.checks!.find((c) => !c.ok)!.id]).toEqual([1, 'cover']);
  await rm(join(out, basename(event.cover!)));
  expect((await check('--cover', '2.0s')).lines.at(-1)!.checks!.filter((c) => !c.ok)).toHaveLength(1);
  expect((await deliverTo(null, '--placement', 'cover', '--cover', 'never')).code).toBe(2);
});
