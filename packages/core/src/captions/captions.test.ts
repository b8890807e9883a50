import { describe, expect, test } from '@jest/globals';
import { parse } from '@plussub/srt-vtt-parser';
import fc from 'fast-check';
import { readCaptions, writeCaptions, writeSrt, writeVtt, type Cue } from '../interchange/captions.ts';
import { layOutCaptions } from './burned.ts';
import { captionBand } from './place.ts';
import { cuesInFrames, retimeCues } from './retime.ts';
import { countCharacters, wrapCues, wrapLines } from './wrap.ts';

const read = (text: string) => {
  const result = readCaptions(text, 'words.srt');
  if (!result.ok) throw new Error(result.problem.sentence);
  return result.value;
};
const wordsOf = (cues: readonly Cue[]) =>
  cues
    .map((c) => c.lines.join(' '))
    .join(' ')
    .replace(/\s+/g, ' ');

/** Cues in order, apart, with whole milliseconds. */
const anyCues = fc
  .array(
    fc.record({
      gap: fc.integer({ min: 0, max: 3000 }),
      length: fc.integer({ min: 40, max: 6000 }),
      lines: fc.array(fc.stringMatching(/^[A-Za-zÄéßЖ'&<>.,!? -]{0,50}[a-zß]$/), {
        minLength: 1,
        maxLength: 3,
      }),
    }),
    { minLength: 1, maxLength: 25 },
  )
  .map((parts) => {
    let at = 0;
    return parts.map(({ gap, length, lines }): Cue => {
      const from = at + gap;
      at = from + length;
      return { from: from / 1000, to: at / 1000, lines: lines.map((l) => l.trim().replace(/^-+>?/, 'a')) };
    });
  });

describe('captions as files', () => {
  test('what is written is read back the same, and by another reader', () => {
    fc.assert(
      fc.property(anyCues, fc.constantFrom('srt' as const, 'vtt' as const), (cues, format) => {
        // Marks are marks in both formats; a text that looks like one of SubRip's is left to WebVTT.
        fc.pre(format === 'vtt' || !cues.some((c) => c.lines.some((l) => /<\/?[a-z]|-->/i.test(l))));
        const text = writeCaptions(cues, format);
        const again = read(text);
        expect(again.cues.map(({ lines }) => lines)).toEqual(cues.map(({ lines }) => lines));
        again.cues.forEach((cue, i) => {
          expect(cue.from).toBeCloseTo(cues[i]!.from, 3);
          expect(cue.to).toBeCloseTo(cues[i]!.to, 3);
        });
        const others = parse(text).entries;
        expect(others.map(({ from, to }) => [from, to])).toEqual(
          cues.map(({ from, to }) => [Math.round(from * 1000), Math.round(to * 1000)]),
        );
        if (format === 'srt') expect(others.map((o) => o.text)).toEqual(cues.map((c) => c.lines.join('\n')));
      }),
      { numRuns: 60 },
    );
  });

  test('the escapes of WebVTT (W3C) are read and written; hours may be missing', () => {
    const { cues } = read(
      'WEBVTT\n\n01:02.345 --> 01:04.000 align:start\n<v Ada>a &amp; b &lt;c&gt;&nbsp;d&lrm;&rlm;</v>\n',
    );
    expect(cues).toEqual([{ from: 62.345, to: 64, lines: ['a & b <c>\u00a0d\u200e\u200f'] }]);
    expect(writeVtt(cues)).toContain('00:01:02.345 --> 00:01:04.000\na &amp; b &lt;c&gt;&nbsp;d&lrm;&rlm;\n');
  });

  test('SubRip has a comma before its milliseconds and no escapes (common practice)', () => {
    expect(writeSrt([{ from: 3661.5, to: 3662, lines: ['a & b', 'c < d'] }])).toBe(
      '1\n01:01:01,500 --> 01:01:02,000\na & b\nc < d\n',
    );
  });

  test.each<[string, string, Cue[], RegExp | null]>([
    [
      'a mark of its encoding and line ends of another system',
      '\uFEFF1\r\n00:00:01,000 --> 00:00:02,000\r\nhello\r\n',
      [{ from: 1, to: 2, lines: ['hello'] }],
      null,
    ],
    [
      'no numbers, dots for commas, few digits',
      '0:00:01.5 --> 0:00:02.25\nhello',
      [{ from: 1.5, to: 2.25, lines: ['hello'] }],
      null,
    ],
    [
      'no blank line between cues',
      '1\n00:00:01,000 --> 00:00:02,000\none\n2\n00:00:03,000 --> 00:00:04,000\ntwo',
      [
        { from: 1, to: 2, lines: ['one'] },
        { from: 3, to: 4, lines: ['two'] },
      ],
      null,
    ],
    [
      'cues out of order',
      '1\n00:00:03,000 --> 00:00:04,000\ntwo\n\n2\n00:00:01,000 --> 00:00:02,000\none',
      [
        { from: 1, to: 2, lines: ['one'] },
        { from: 3, to: 4, lines: ['two'] },
      ],
      /1 cue stood out of order/,
    ],
    [
      'cues that overlap',
      '1\n00:00:01,000 --> 00:00:03,000\none\n\n2\n00:00:02,000 --> 00:00:04,000\ntwo',
      [
        { from: 1, to: 2, lines: ['one'] },
        { from: 2, to: 4, lines: ['two'] },
      ],
      /1 cue reached into the next/,
    ],
    [
      'cues that begin together',
      '1\n00:00:01,000 --> 00:00:03,000\n- one\n\n2\n00:00:01,000 --> 00:00:02,000\n- two',
      [{ from: 1, to: 3, lines: ['- one', '- two'] }],
      /began together/,
    ],
    [
      'a time before the film',
      '1\n-00:00:01,000 --> 00:00:02,000\none',
      [{ from: 0, to: 2, lines: ['one'] }],
      /began before the film/,
    ],
    [
      'an end before its start',
      '1\n00:00:02,000 --> 00:00:01,000\none',
      [{ from: 2, to: 2 + 5 / 6, lines: ['one'] }],
      /ended before it began/,
    ],
    [
      'styles and positions',
      '1\n00:00:01,000 --> 00:00:02,000 X1:10 X2:20\n{\\an8}<font color="#ff0">one</font> <i>two</i>\\Nthree',
      [{ from: 1, to: 2, lines: ['one two', 'three'] }],
      /Styles and positions of 1 cue/,
    ],
    [
      'a cue without words',
      '1\n00:00:01,000 --> 00:00:02,000\n\n2\n00:00:03,000 --> 00:00:04,000\ntwo',
      [{ from: 3, to: 4, lines: ['two'] }],
      /1 cue held no words/,
    ],
    [
      'notes and styles of WebVTT',
      'WEBVTT - a title\n\nSTYLE\n::cue { color: red }\n\nNOTE nothing\n\nname\n00:01.000 --> 00:02.000\none\n\nNOTE more\n',
      [{ from: 1, to: 2, lines: ['one'] }],
      null,
    ],
  ])('%s', (_what, text, cues, said) => {
    const { cues: found, words } = read(text);
    expect(found).toEqual(cues);
    if (said) expect(words.join(' ')).toMatch(said);
    else expect(words).toEqual([]);
  });

  test.each([
    '',
    'no captions at all',
    '{"a": 1}',
    'WEBVTT\n\nNOTE nothing',
    '1\n00:00:01,000 --> 00:00:02,000\n',
  ])('a file without captions is refused in a sentence', (text) => {
    const result = readCaptions(text, 'empty.srt');
    expect(result.ok).toBe(false);
    if (!result.ok) expect(result.problem.sentence).toMatch(/^empty\.srt holds no captions/);
  });

  test('ten thousand cues are read', () => {
    const many = Array.from({ length: 10_000 }, (_, i) => ({ from: i, to: i + 0.9, lines: [`line ${i}`] }));
    expect(read(writeSrt(many)).cues).toHaveLength(10_000);
  });
});

describe('captions in a cut', () => {
  const rate = { num: 25, den: 1 };
  const cue = (from: number, to: number, text = 'words'): Cue => ({ from, to, lines: [text] });
  const spans = fc
    .array(fc.tuple(fc.integer({ min: 0, max: 2000 }), fc.integer({ min: 1, max: 300 })), {
      minLength: 1,
      maxLength: 6,
    })
    .map((all) => {
      // Apart from each other, in any order.
      let at = 0;
      return all.map(([gap, length]) => {
        const from = at + (gap % 200);
        at = from + length;
        return { from, to: at };
      });
    });

  test('order is kept, nothing overlaps or lies outside the cut, and no words change', () => {
    fc.assert(
      fc.property(
        anyCues,
        spans,
        fc.constantFrom({ num: 1, den: 1 }, { num: 11, den: 10 }, { num: 25, den: 24 }),
        (cues, kept, pace) => {
          const length = kept.reduce((sum, s) => sum + s.to - s.from, 0) / 25 / (pace.num / pace.den);
          const playing = retimeCues(cues, { kept, pace }, rate);
          playing.forEach((c, i) => {
            expect(c.from).toBeGreaterThanOrEqual((playing[i - 1]?.to ?? 0) - 1e-6);
            expect(c.to).toBeGreaterThan(c.from);
            expect(c.to).toBeLessThanOrEqual(length + 1e-6);
            expect(cues.map((o) => o.lines)).toContainEqual(c.lines);
          });
        },
      ),
      { numRuns: 100 },
    );
  });

  test('what is cut away is left out, what is cut through is clipped, and a pace brings it nearer', () => {
    const kept = [{ from: 50, to: 100 }];
    expect(
      retimeCues([cue(0, 1), cue(1.5, 2.5), cue(3, 5)], { kept, pace: { num: 1, den: 1 } }, rate),
    ).toEqual([cue(0, 0.5), cue(1, 2)]);
    const [first] = retimeCues([cue(2.2, 3.3)], { kept, pace: { num: 11, den: 10 } }, rate);
    expect(first!.from).toBeCloseTo(0.2 / 1.1, 9);
    expect(first!.to).toBeCloseTo(1.3 / 1.1, 9);
  });

  test('a cue goes on over a cut in its middle, and is shown twice where its parts play apart', () => {
    const all = [cue(1, 4)];
    const middle = [
      { from: 0, to: 50 },
      { from: 75, to: 125 },
    ];
    expect(retimeCues(all, { kept: middle, pace: { num: 1, den: 1 } }, rate)).toEqual([cue(1, 3)]);
    const swapped = [
      { from: 75, to: 125 },
      { from: 0, to: 50 },
    ];
    expect(retimeCues(all, { kept: swapped, pace: { num: 1, den: 1 } }, rate)).toEqual([
      cue(0, 1),
      cue(3, 4),
    ]);
  });

  test('frames are the nearest, and none is shown by two cues', () => {
    expect(cuesInFrames([cue(0.999, 2.001), cue(2.001, 2.01), cue(2.02, 9)], rate, 100)).toEqual([
      { from: 25, to: 50, lines: ['words'] },
      { from: 50, to: 51, lines: ['words'] },
      { from: 51, to: 100, lines: ['words'] },
    ]);
  });
});

describe('captions broken into lines', () => {
  test('lines are no longer than allowed, two at a time, even, and keep every word and all of the time', () => {
    fc.assert(
      fc.property(anyCues, fc.integer({ min: 12, max: 42 }), (cues, limit) => {
        const wrapped = wrapCues(cues, limit);
        for (const { lines } of wrapped) {
          expect(lines.length).toBeLessThanOrEqual(2);
          for (const line of lines) expect(countCharacters(line)).toBeLessThanOrEqual(limit);
        }
        // A word longer than a line is broken up; otherwise words are the same.
        expect(wordsOf(wrapped).replaceAll(' ', '')).toBe(wordsOf(cues).replaceAll(' ', ''));
        expect(wrapped[0]!.from).toBe(cues[0]!.from);
        expect(wrapped.at(-1)!.to).toBe(cues.at(-1)!.to);
        wrapped.forEach((c, i) => expect(c.from).toBeGreaterThanOrEqual(wrapped[i - 1]?.to ?? 0));
      }),
      { numRuns: 80 },
    );
  });

  test('a line is not broken behind an article where it can be helped', () => {
    expect(wrapLines(['We went to see the old harbour again'], 21)).toEqual([
      'We went to see',
      'the old harbour again',
    ]);
    expect(wrapLines(['Er kommt morgen in der Frühe wieder'], 22)).toEqual([
      'Er kommt morgen',
      'in der Frühe wieder',
    ]);
  });

  test('lines that fit are left as they were, and two who speak are left apart', () => {
    expect(wrapLines(['Hello,', 'you there.'], 42)).toEqual(['Hello,', 'you there.']);
    expect(wrapLines(['- Is it far? - No.', '- We are nearly there, I can see the light of it'], 30)).toEqual(
      ['- Is it far? - No.', '- We are nearly there,', 'I can see the light of it'],
    );
  });

  test('letters with marks, and text without blanks, are measured as they are seen', () => {
    expect(countCharacters('e\u0301👩‍👩‍👧')).toBe(2);
    expect(wrapLines(['日本語の字幕は空白なしで続いていく'], 8)).toEqual([
      '日本語の字幕は空',
      '白なしで続いてい',
      'く',
    ]);
  });
});

describe('where captions stand', () => {
  const tall = { width: 1080, height: 1920 };
  const blocked = [
    { x: 0.86, y: 0.45, width: 0.14, height: 0.38 },
    { x: 0, y: 0.84, width: 1, height: 0.16 },
  ];
  const margin = { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 };

  test('inside the margin and beside every blocked area, on whole even pixels', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 100, max: 1100 }),
        fc.integer({ min: 100, max: 1100 }),
        fc.array(
          fc.tuple(fc.nat(70), fc.nat(70), fc.integer({ min: 5, max: 60 }), fc.integer({ min: 5, max: 40 })),
          { maxLength: 3 },
        ),
        (w, h, areas) => {
          const frame = { width: w * 2, height: h * 2 };
          const over = areas.map(([x, y, width, height]) => ({
            x: x / 100,
            y: y / 100,
            width: Math.min(width, 100 - x) / 100,
            height: Math.min(height, 100 - y) / 100,
          }));
          const band = captionBand(frame, margin, over);
          if (!band) return;
          expect([band.x % 2, band.y % 2, band.width % 2, band.height % 2]).toEqual([0, 0, 0, 0]);
          expect(band.x).toBeGreaterThanOrEqual(frame.width * 0.05 - 1e-6);
          expect(band.x + band.width).toBeLessThanOrEqual(frame.width * 0.95 + 1e-6);
          expect(band.y).toBeGreaterThanOrEqual(frame.height * 0.05 - 2);
          expect(band.y + band.height).toBeLessThanOrEqual(frame.height * 0.95 + 1e-6);
          for (const b of over) {
            const apart =
              band.x + band.width <= b.x * frame.width + 2 ||
              band.x >= (b.x + b.width) * frame.width - 2 ||
              band.y + band.height <= b.y * frame.height + 2 ||
              band.y >= (b.y + b.height) * frame.height - 2;
            expect(apart).toBe(true);
          }
        },
      ),
      { numRuns: 200 },
    );
  });

  test('in the middle of a tall frame, above the caption block and beside the buttons', () => {
    const band = captionBand(tall, margin, blocked)!;
    expect(band.x + band.width / 2).toBeCloseTo(540, -1);
    expect(band.y + band.height).toBeLessThanOrEqual(0.84 * 1920);
    expect(band.x + band.width).toBeLessThanOrEqual(0.86 * 1080);
    expect(band.width).toBeGreaterThan(0.6 * 1080);
  });

  test('a frame that is covered has no room', () => {
    expect(captionBand(tall, margin, [{ x: 0, y: 0, width: 1, height: 1 }])).toBeNull();
    const none = layOutCaptions(
      [],
      { frame: tall, rate: { num: 25, den: 1 }, frames: 10, blocked: [{ x: 0, y: 0, width: 1, height: 1 }] },
      { widthOf: () => 10 },
    );
    expect(none).toBeNull();
  });
});
