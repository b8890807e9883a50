import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execa } from 'execa';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeFollowedFilm } from '../../media/src/testing/followed-film.ts';
import { runCommand } from './commands.ts';

let dir: string;
let serial = 0;
const at = (name: string) => join(dir, name);

const place = (id: string, over: object = {}) => ({
  id,
  name: id,
  frame: { width: 180, height: 320 },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
  audio: {
    codec: 'aac',
    kbps: 96,
    sampleRate: 48000,
    channels: 2,
    loudness: { integratedLufs: -14, truePeakDbtp: -1 },
  },
  ...over,
});

beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy cli '));
  await execa('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=320x180:r=25:d=4',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=c=pink:a=0.1:d=4:seed=1',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-c:a',
    'aac',
    at('film one.mp4'),
  ]);
  await execa('ffmpeg', ['-v', 'error', '-i', at('film one.mp4'), '-c', 'copy', '-an', at('mute.mp4')]);
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
            place('tall'),
            place('square', { frame: { width: 240, height: 240 }, audio: null }),
            place('short', { duration: { maxSeconds: 2 } }),
            place('tiny', { maxBytes: 3000 }),
          ],
        },
      ],
    }),
  );
});
afterAll(() => rm(dir, { recursive: true, force: true }));

interface Line {
  event: string;
  placement: string;
  status?: string;
  file?: string | null;
  fraction?: number;
  stage?: string;
  checks?: { name: string; ok: boolean; measured: string }[];
  troubles?: { code: string; sentence: string; mend: string }[];
}

async function run(...args: string[]) {
  const out = at(`out ${++serial}`);
  const lines: Line[] = [];
  const told: string[] = [];
  const code = await runCommand(
    'deliver',
    ['--out', out, ...args],
    { print: (l) => lines.push(JSON.parse(l) as Line), tell: (l) => told.push(l) },
    new AbortController().signal,
  );
  return { code, lines, told, out, files: await readdir(out).catch(() => [] as string[]) };
}
const basic = (...more: string[]) => run('--master', at('film one.mp4'), '--specs', at('book.json'), ...more);

describe('deliver', () => {
  test('--out that is a file is one sentence, and nothing is written', async () => {
    const { code, told, lines } = await basic('--placement', 'tall', '--out', at('book.json'));
    expect([code, lines]).toEqual([2, []]);
    expect(told.join(' ')).toContain('is a file, not a folder');
  });
  test('two placements: two passed files, each told once, with progress on the way', async () => {
    const { code, lines, files, out } = await basic(
      '--placement',
      'tall',
      '--placement',
      'square',
      '--jobs',
      '2',
    );
    expect(code).toBe(0);
    const done = lines.filter((l) => l.event === 'deliverable');
    expect(done.map((l) => l.status)).toEqual(['passed', 'passed']);
    expect(files.sort()).toEqual([
      'film-one_square_240x240_25fps_v1.mp4',
      'film-one_tall_180x320_25fps_v1.mp4',
    ]);
    // Run again into the same folder, nothing that lies there is overwritten.
    const first = await readFile(join(out, 'film-one_tall_180x320_25fps_v1.mp4'));
    const again = await basic('--placement', 'tall', '--out', out, '--quiet');
    expect(again.lines.at(-1)).toMatchObject({
      status: 'passed',
      file: join(out, 'film-one_tall_180x320_25fps_v2.mp4'),
    });
    expect(await readFile(join(out, 'film-one_tall_180x320_25fps_v1.mp4'))).toEqual(first);
    const progress = lines.filter((l) => l.event === 'progress');
    expect(progress.length).toBeGreaterThan(0);
    for (const p of progress) expect(['analyse', 'encode', 'measure']).toContain(p.stage);
  });

  test('a part of the film, by timecode and by seconds; first frame in, last frame out', async () => {
    const { code, lines } = await basic(
      '--placement',
      'square',
      '--in',
      '00:00:01:05',
      '--to',
      '2.2s',
      '--quiet',
    );
    expect(code).toBe(0);
    expect(lines).toHaveLength(1);
    expect(lines[0]!.checks!.find((c) => c.name === 'Length')!.measured).toBe('25 frames');
  });

  test('a version that breaks a rule is refused: nothing written, and what would mend it', async () => {
    const { code, lines, files, told } = await basic(
      '--placement',
      'short',
      '--placement',
      'tiny',
      '--quiet',
    );
    expect(code).toBe(1);
    expect(files).toEqual([]);
    expect(lines.map((l) => [l.status, l.troubles![0]!.code])).toEqual([
      ['refused', 'too-long'],
      ['refused', 'size-floor'],
    ]);
    expect(lines.every((l) => l.troubles![0]!.mend !== '')).toBe(true);
    expect(told.join(' ')).toContain('at most 2 s is allowed');
  });

  test('a master without sound gets no audio track, and that is said', async () => {
    const { code, lines } = await run(
      '--master',
      at('mute.mp4'),
      '--specs',
      at('book.json'),
      '--placement',
      'tall',
      '--quiet',
    );
    expect(code).toBe(0);
    expect(lines[0]!.troubles!.map((t) => t.code)).toContain('no-sound');
    expect(lines[0]!.checks!.find((c) => c.name === 'Sound')).toMatchObject({ measured: 'none', ok: true });
  });

  test('a window beyond the edge is clamped inside', async () => {
    const { code } = await basic('--placement', 'square', '--at', '9,-4', '--zoom', '2', '--quiet');
    expect(code).toBe(0);
  });

  test('a plan file frames the film: its moves are in the file, byte for byte the same each time; one of another rate is said', async () => {
    const plan = (rate: number, frames: number) => ({
      format: 'mivvy-version-plan',
      version: 1,
      master: { displayed: { width: 320, height: 180 }, rate: { num: rate, den: 1 }, frames },
      framing: {
        version: 1,
        stretches: [
          {
            from: 0,
            move: {
              kind: 'glide',
              a: { x: 0.2, y: 0.5, zoom: 1 },
              b: { x: 0.8, y: 0.5, zoom: 1.2 },
              start: 0,
              end: frames - 1,
              ease: 'soft',
            },
          },
        ],
      },
    });
    await writeFile(at('a.plan.json'), JSON.stringify(plan(25, 100)));
    await writeFile(at('b.plan.json'), JSON.stringify(plan(50, 200)));
    const deliver = (file: string) =>
      basic('--placement', 'square', '--plan', at(file), '--in', '1s', '--to', '2s', '--quiet');
    const [one, again, other] = [
      await deliver('a.plan.json'),
      await deliver('a.plan.json'),
      await deliver('b.plan.json'),
    ];
    expect([one.code, again.code, other.code]).toEqual([0, 0, 0]);
    const sum = (r: typeof one) => (r.lines[0] as Line & { sha256: string }).sha256;
    expect(sum(again)).toBe(sum(one));
    expect(other.told[0]).toContain('The plan was made at 50 frames a second');
    expect(sum(await basic('--placement', 'square', '--in', '1s', '--to', '2s', '--quiet'))).not.toBe(
      sum(one),
    );
  });

  test('a plan’s cut is delivered at its pace; in and out points hold inside it, and a pace of one’s own goes before', async () => {
    const plan = {
      format: 'mivvy-version-plan',
      version: 1,
      master: { displayed: { width: 320, height: 180 }, rate: { num: 25, den: 1 }, frames: 100 },
      framing: {
        version: 1,
        stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } } }],
      },
      cut: {
        kept: [
          { from: 60, to: 81 },
          { from: 0, to: 21 },
        ],
        pace: { num: 21, den: 20 },
      },
    };
    await writeFile(at('cut.plan.json'), JSON.stringify(plan));
    const deliver = async (...args: string[]) => {
      const { code, lines, told } = await basic(
        '--placement',
        'square',
        '--plan',
        at('cut.plan.json'),
        '--quiet',
        ...args,
      );
      return {
        code,
        told: told.join(' '),
        length: lines[0]?.checks?.find((c) => c.name === 'Length')?.measured,
      };
    };
    // 42 kept frames at 1.05 are 40; without a pace 42; up to the first second 21 at 1.05 are 20.
    expect(await deliver()).toMatchObject({ code: 0, length: '40 frames' });
    expect(await deliver('--pace', '1')).toMatchObject({ code: 0, length: '42 frames' });
    expect(await deliver('--to', '1s')).toMatchObject({ code: 0, length: '20 frames' });
    expect(await deliver('--in', '1s', '--to', '2s')).toMatchObject({
      code: 2,
      told: expect.stringContaining('the plan keeps nothing'),
    });
    await writeFile(
      at('cut.plan.json'),
      JSON.stringify({
        ...plan,
        cut: {
          kept: [
            { from: 0, to: 20 },
            { from: 10, to: 30 },
          ],
        },
      }),
    );
    expect(await deliver()).toMatchObject({ code: 2, told: expect.stringContaining('kept twice') });
  });

  test('following: the subject is in every frame of a tall file, where a held window loses it', async () => {
    const [shot] = await makeFollowedFilm(at('runner.mp4'), [0]);
    /** Where the red runner is in a file's frames, a fraction of their width; null where there is nothing red. */
    const runner = async (file: string) => {
      const { stdout } = await execa(
        'ffmpeg',
        ['-v', 'error', '-i', file, '-vf', 'scale=90:160,format=yuv444p', '-f', 'rawvideo', '-'],
        { encoding: 'buffer' },
      );
      return Array.from({ length: stdout.length / (90 * 160 * 3) }, (_, f) => {
        let [sum, n] = [0, 0];
        for (let i = 0; i < 90 * 160; i++)
          if (stdout[f * 90 * 160 * 3 + 2 * 90 * 160 + i]! > 165) {
            sum += i % 90;
            n++;
          }
        return n > 20 ? sum / n / 90 : null;
      });
    };
    const deliver = async (...args: string[]) => {
      const { code, lines, told } = await run(
        '--master',
        at('runner.mp4'),
        '--specs',
        at('book.json'),
        '--placement',
        'tall',
        '--quiet',
        ...args,
      );
      expect(code).toBe(0);
      return { seen: await runner(lines[0]!.file!), told };
    };
    const [followed, held] = [await deliver('--framing', 'follow'), await deliver()];
    expect(followed.told.join(' ')).toContain('1 shot framed by what is seen in it');
    expect(followed.seen).toHaveLength(shot!.pictures.length);
    expect(followed.seen.filter((x) => x !== null && x > 0.1 && x < 0.9)).toHaveLength(shot!.pictures.length);
    expect(held.seen.filter((x) => x !== null && x > 0.1 && x < 0.9).length).toBeLessThan(
      shot!.pictures.length * 0.6,
    );
  }, 225_000);

  test.each<[string, string[], RegExp]>([
    [
      'how lively, in no number',
      [
        '--master',
        'film one.mp4',
        '--specs',
        'book.json',
        '--placement',
        'tall',
        '--framing',
        'follow',
        '--lively',
        'very',
      ],
      /--lively very is not a number from 0 to 1/,
    ],
    [
      'a plan and following at once',
      [
        '--master',
        'film one.mp4',
        '--specs',
        'book.json',
        '--placement',
        'tall',
        '--framing',
        'follow',
        '--plan',
        'book.json',
      ],
      /cannot both say/,
    ],
    [
      'a plan that is none',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--plan', 'book.json'],
      /book\.json was not taken: format/,
    ],
    [
      'a plan that is not there',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--plan', 'gone.json'],
      /cannot be read/,
    ],
    ['no placement', ['--master', 'film one.mp4', '--specs', 'book.json'], /--placement is missing/],
    [
      'an unknown placement',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'nowhere'],
      /no placement “nowhere”.*tall, square/,
    ],
    ['an unknown flag', ['--colour', 'red'], /colour/],
    [
      'a missing master',
      ['--master', 'gone.mp4', '--specs', 'book.json', '--placement', 'tall'],
      /There is no file at/,
    ],
    [
      'a master that is no film',
      ['--master', 'book.json', '--specs', 'book.json', '--placement', 'tall'],
      /This is not a film/,
    ],
    [
      'a spec book that is none',
      ['--master', 'film one.mp4', '--specs', 'film one.mp4', '--placement', 'tall'],
      /is not JSON/,
    ],
    [
      'a time that is none',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--in', 'soon'],
      /“soon” is not a time/,
    ],
    [
      'an empty part',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--in', '3s', '--to', '2s'],
      /--in is not before --to/,
    ],
    [
      'captions that are not there',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--captions', 'a.srt'],
      /There is no caption file at/,
    ],
    [
      'captions that are none',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--captions', 'book.json'],
      /book\.json holds no captions/,
    ],
    [
      'a pace that is none',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--pace', '0.5'],
      /“0.5” is not a pace from 1 to 2/,
    ],
    [
      'a zoom of zero',
      ['--master', 'film one.mp4', '--specs', 'book.json', '--placement', 'tall', '--zoom', '0'],
      /--zoom 0 is not/,
    ],
  ])('wrong use, %s: one sentence and exit 2', async (_what, args, sentence) => {
    const { code, lines, told, files } = await run(...args.map((a) => (/\.(mp4|json)$/.test(a) ? at(a) : a)));
    expect(code).toBe(2);
    expect(lines).toEqual([]);
    expect(told).toHaveLength(1);
    expect(told[0]).toMatch(sentence);
    expect(files).toEqual([]);
  });

  test('interrupted: exit 130 and no partial file', async () => {
    const controller = new AbortController();
    setTimeout(() => controller.abort(), 500);
    const out = at('interrupted');
    const code = await runCommand(
      'deliver',
      ['--master', at('film one.mp4'), '--specs', at('book.json'), '--placement', 'tall', '--out', out],
      { print: () => undefined, tell: () => undefined },
      controller.signal,
    );
    expect(code).toBe(130);
    expect(await readdir(out).catch(() => [])).toEqual([]);
  });
});
