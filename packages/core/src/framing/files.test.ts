import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { facts } from '../testing/samples.ts';
import { guideSvg, guideTable } from './guides.ts';
import { heldFraming, layoutAt } from './framing.ts';
import { planForMaster, readVersionPlan, versionPlanJsonSchema, writeVersionPlan } from './plan-file.ts';
import { centredPose, snapPose, windowOf } from './pose.ts';

const hd = { width: 1920, height: 1080 };
const tall = { width: 1080, height: 1920 };

describe('plans as files', () => {
  const plan = writeVersionPlan(heldFraming({ x: 0.3, y: 0.5, zoom: 1.2 }), facts(), {
    placement: 'kelpie-tall',
    name: 'Film',
    sha256: 'a'.repeat(64),
  });
  test('written and read, a plan is the same', () => {
    const read = readVersionPlan(JSON.stringify(plan));
    expect(read.ok && read.value).toEqual(plan);
    expect(planForMaster(plan, facts())).toEqual({
      framing: plan.framing,
      cut: null,
      coverFrame: null,
      sharpen: null,
      layers: [],
      roomFor: [],
      words: [],
    });
  });
  const cut = {
    name: '15 s',
    kept: [
      { from: 500, to: 600 },
      { from: 0, to: 250 },
    ],
    pace: { num: 21, den: 20 },
    joinMs: 30,
  };
  test('the cut goes along, and is fitted to a film of another rate or length', () => {
    const withCut = writeVersionPlan(plan.framing, facts(), { cut });
    const read = readVersionPlan(JSON.stringify(withCut));
    expect(read.ok && planForMaster(read.value, facts())).toEqual({
      framing: plan.framing,
      cut,
      coverFrame: null,
      sharpen: null,
      layers: [],
      roomFor: [],
      words: [],
    });
    expect(planForMaster(withCut, facts({ rate: { num: 50, den: 1 }, frames: 2120 })).cut!.kept).toEqual([
      { from: 1000, to: 1200 },
      { from: 0, to: 500 },
    ]);
    const shorter = planForMaster(withCut, facts({ frames: 550 }));
    expect(shorter.cut!.kept).toEqual([
      { from: 500, to: 550 },
      { from: 0, to: 250 },
    ]);
    expect(shorter.words.join(' ')).toContain('behind the film’s end is left out');
    const gone = planForMaster(
      { ...withCut, cut: { kept: [{ from: 900, to: 950 }] } },
      facts({ frames: 550 }),
    );
    expect(gone.cut).toEqual({
      name: 'From a plan',
      kept: [{ from: 0, to: 550 }],
      pace: { num: 1, den: 1 },
      joinMs: 20,
    });
    expect(gone.words.join(' ')).toContain('all of it is kept');
  });
  test('for a master of another rate and size its times and windows are carried over, and that is said', () => {
    const moved = {
      ...plan,
      framing: {
        version: 1 as const,
        stretches: [
          ...plan.framing.stretches,
          {
            from: 500,
            move: {
              kind: 'glide' as const,
              a: centredPose,
              b: { x: 0.8, y: 0.5, zoom: 1 },
              start: 10,
              end: 60,
              ease: 'even' as const,
            },
          },
        ],
      },
    };
    const { framing, words } = planForMaster(
      moved,
      facts({ rate: { num: 50, den: 1 }, frames: 2120, displayed: { width: 1440, height: 1080 } }),
    );
    expect(framing.stretches.map((s) => s.from)).toEqual([0, 1000]);
    expect(framing.stretches[1]!.move).toMatchObject({ start: 20, end: 120 });
    expect(words).toHaveLength(2);
    expect(words.join(' ')).toContain('carried over to 50');
  });
  test.each([
    ['an unknown field', JSON.stringify({ ...plan, speed: 2 }), /speed: this field is not known/],
    [
      'a framing that does not start at 0',
      JSON.stringify({
        ...plan,
        framing: { version: 1, stretches: [{ from: 3, move: { kind: 'hold', pose: centredPose } }] },
      }),
      /starts at frame 0/,
    ],
    [
      'a pace that is none',
      JSON.stringify({ ...plan, cut: { kept: [{ from: 0, to: 9 }], pace: { num: 1, den: 2 } } }),
      /between 1 and 2/,
    ],
    ['an empty cut', JSON.stringify({ ...plan, cut: { kept: [] } }), /at least one frame/],
    ['no JSON', 'framing: centred', /is not JSON/],
  ])('%s is refused', (_what, text, sentence) => {
    const read = readVersionPlan(text, 'a.plan.json');
    expect(read.ok ? '' : read.problem.sentence).toMatch(sentence);
  });
  test('the published JSON Schema is the one that the code enforces (run “npm run formats” after a change)', () => {
    expect(
      JSON.parse(
        readFileSync(new URL('../../../../docs/formats/version-plan.schema.json', import.meta.url), 'utf8'),
      ),
    ).toEqual(JSON.parse(JSON.stringify(versionPlanJsonSchema())));
  });
});

describe('guides', () => {
  const guides = [{ tag: 'A', name: 'Tall & narrow', window: windowOf(centredPose, hd, tall) }];
  test('numbers are exact, and whole and even beside it (common practice: 608 × 1080 at 656)', () => {
    expect(guideTable(guides, hd).split('\n')[1]).toBe(
      'A\tTall & narrow\t656.25\t0\t607.5\t1080\t656\t0\t608\t1080',
    );
  });
  test('the picture has the master’s size and escapes names', () => {
    const svg = guideSvg(guides, hd);
    expect(svg).toContain('width="1920" height="1080"');
    expect(svg).toContain('Tall &amp; narrow');
    // Outlines are drawn just inside the window.
    expect(svg).toContain('<rect x="657.75" y="1.5" width="604.5" height="1077"');
  });
});

test('a dragged window is caught by the middle and the thirds, where it can reach them', () => {
  expect(snapPose({ x: 0.497, y: 0.5, zoom: 1 }, hd, tall, 10)).toMatchObject({ pose: { x: 0.5 }, x: 0.5 });
  expect(snapPose({ x: 0.33, y: 0.5, zoom: 1 }, hd, tall, 10).x).toBeCloseTo(1 / 3, 9);
  expect(snapPose({ x: 0.44, y: 0.5, zoom: 1 }, hd, tall, 10).x).toBeNull();
  // The wide frame shows everything: nothing can be moved, only the middle holds.
  expect(snapPose({ x: 0.34, y: 0.5, zoom: 1 }, hd, hd, 10)).toMatchObject({ pose: { x: 0.5 }, x: 0.5 });
});

test('bars and stacked windows land on whole even pixels and nothing is stretched', () => {
  for (const frame of [tall, { width: 1080, height: 1350 }, { width: 1500, height: 500 }, hd]) {
    for (const fill of [
      { kind: 'bars' as const, colour: '#000000' },
      { kind: 'soft' as const },
      { kind: 'stacked' as const, divide: 0.37, lower: { kind: 'hold' as const, pose: centredPose } },
    ]) {
      const { panels } = layoutAt(
        {
          version: 1,
          stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0.3, y: 0.4, zoom: 1.4 } }, fill }],
        },
        0,
        hd,
        frame,
      );
      for (const { source, into } of panels) {
        for (const n of [into.x, into.y, into.width, into.height]) expect(Math.abs(n) % 2).toBe(0);
        expect(source.width / source.height / (into.width / into.height)).toBeCloseTo(1, 6);
      }
    }
  }
  // 1920 × 1080 whole in 1080 × 1920: bars of 656.25 above and below (common practice), here on the even line.
  const { panels } = layoutAt(
    {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'hold', pose: centredPose }, fill: { kind: 'bars', colour: '#000000' } },
      ],
    },
    0,
    hd,
    tall,
  );
  expect(panels[0]!.into).toEqual({ x: 0, y: 656, width: 1080, height: 606 });
});
