import * as z from 'zod';
import { seenFaceSchema } from '../captions/seen-faces.ts';
import { sharpenSchema } from '../render/sharpen.ts';
import { sizeSchema } from '../picture/geometry.ts';
import {
  asEdited,
  keptLength,
  keptSchema,
  paceSchema,
  playedWithin,
  usualJoinMs,
  type Played,
} from '../edits/cut.ts';
import type { FrameSpan } from '../time/span.ts';
import type { MasterFacts } from '../masters/facts.ts';
import { layerSchema, mostLayers, type Layer } from '../layers/layer.ts';
import { fail, faultLine, ok, type Result } from '../problem.ts';
import { rateLabel, rateSchema } from '../time/rate.ts';
import { carryFraming, matchByTime, type CarryFilm } from './carry.ts';
import { framingSchema, type Framing } from './framing.ts';

/** Something in the film that captions make room for, while it is there. */
const roomSchema = seenFaceSchema.pick({ span: true, keys: true });
type Room = z.infer<typeof roomSchema>;
/** So many of them in a plan at most: what is kept of the faces that were seen, and keeps besides. */
const mostRoom = 4000;

/**
 * A version as a file, `*.plan.json`: how it is framed, to be rendered without the application or taken into another
 * version. Fields of one's own start with `x-`.
 */
export const versionPlanSchema = z
  .looseObject({
    format: z.literal('mivvy-version-plan'),
    version: z.literal(1),
    /** The placement that it was framed for; it may be used for any other. */
    placement: z.string().optional(),
    /** The master that its frames are counted in. */
    master: z.strictObject({
      name: z.string().optional(),
      displayed: sizeSchema,
      rate: rateSchema,
      frames: z.number().int().positive(),
      sha256: z
        .string()
        .regex(/^[0-9a-f]{64}$/)
        .optional(),
    }),
    framing: framingSchema,
    /** What plays of it, in which order, how fast; the full film where missing. */
    cut: z
      .strictObject({
        name: z.string().trim().min(1).max(120).optional(),
        kept: keptSchema,
        pace: paceSchema.optional(),
        joinMs: z.number().min(0).max(500).optional(),
      })
      .optional(),
    /** The frame that its cover shows; the middle of what plays where missing. */
    coverFrame: z.number().int().nonnegative().optional(),
    /** How far its picture is sharpened; not at all where missing. */
    sharpen: sharpenSchema.optional(),
    /** What is laid over it, the nearest first, as the version shows it; nothing where missing. */
    layers: z.array(layerSchema).max(mostLayers).optional(),
    /** The pictures that layers show, by the sum of their bytes: PNG in base64. */
    pictures: z.record(z.string().regex(/^[0-9a-f]{64}$/), z.base64()).optional(),
    /** The typefaces that their words are set in, where they do not ship: the files in base64, by their sums. */
    typefaces: z.record(z.string().regex(/^[0-9a-f]{64}$/), z.base64()).optional(),
    /** What captions that are drawn in make room for: keeps and seen faces, shares of the film's picture. */
    roomFor: z.array(roomSchema).max(mostRoom).optional(),
  })
  .superRefine((value, context) => {
    const known = [
      'format',
      'version',
      'placement',
      'master',
      'framing',
      'cut',
      'coverFrame',
      'sharpen',
      'layers',
      'pictures',
      'typefaces',
      'roomFor',
    ];
    for (const key of Object.keys(value)) {
      if (!known.includes(key) && !key.startsWith('x-'))
        context.addIssue({
          code: 'custom',
          path: [key],
          message: 'this field is not known; fields of your own start with x-',
        });
    }
  });
export type VersionPlan = z.infer<typeof versionPlanSchema>;

/** Writes a version's framing, and the cut that it plays, as a plan file. */
export function writeVersionPlan(
  framing: Framing,
  facts: MasterFacts,
  about: {
    placement?: string;
    name?: string;
    sha256?: string | null;
    cut?: Played & { name: string };
    coverFrame?: number | null;
    sharpen?: number | null;
    layers?: readonly Layer[];
    pictures?: Record<string, string>;
    typefaces?: Record<string, string>;
    roomFor?: readonly Room[];
  },
): VersionPlan {
  const { displayed, rate, frames } = facts.video;
  return {
    format: 'mivvy-version-plan',
    version: 1,
    ...(about.placement ? { placement: about.placement } : {}),
    master: {
      ...(about.name ? { name: about.name } : {}),
      displayed: { ...displayed },
      rate: { ...rate },
      frames,
      ...(about.sha256 ? { sha256: about.sha256 } : {}),
    },
    framing,
    ...(about.cut
      ? {
          cut: {
            name: about.cut.name,
            kept: about.cut.kept.map(({ from, to }) => ({ from, to })),
            pace: { ...about.cut.pace },
            joinMs: about.cut.joinMs,
          },
        }
      : {}),
    ...(about.coverFrame == null ? {} : { coverFrame: about.coverFrame }),
    ...(about.sharpen ? { sharpen: about.sharpen } : {}),
    ...(about.layers?.length ? { layers: [...about.layers] } : {}),
    ...(about.pictures && Object.keys(about.pictures).length ? { pictures: about.pictures } : {}),
    ...(about.typefaces && Object.keys(about.typefaces).length ? { typefaces: about.typefaces } : {}),
    ...(about.roomFor?.length ? { roomFor: about.roomFor.map(({ span, keys }) => ({ span, keys })) } : {}),
  };
}

/** Reads a plan file's text. */
export function readVersionPlan(text: string, fileName = 'The plan'): Result<VersionPlan> {
  let data: unknown;
  try {
    data = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    return fail(
      'plan-not-json',
      `${fileName} is not JSON: ${(error as Error).message}.`,
      'Export the plan again.',
    );
  }
  const parsed = versionPlanSchema.safeParse(data);
  if (parsed.success) return ok(parsed.data);
  return fail(
    'plan-refused',
    `${fileName} was not taken: ${faultLine(parsed.error)}.`,
    'Mend that field, or export the plan again.',
  );
}

/** A plan for a master that may be another than its own. */
export interface FittedPlan {
  framing: Framing;
  /** The cut that it plays; null for the full film. */
  cut: (Played & { name: string }) | null;
  /** The frame that its cover shows; null for the middle of what plays. */
  coverFrame: number | null;
  /** How far its picture is sharpened; null for not at all. */
  sharpen: number | null;
  /** What is laid over it; a film that is laid over another does not travel in a plan. */
  layers: Layer[];
  /** What its captions make room for. */
  roomFor: Room[];
  /** What had to be done for it, in words. */
  words: string[];
}

/** A span of frames at another rate, `scale` of them to one. */
const scaledSpan = ({ from, to }: FrameSpan, scale: number): FrameSpan => {
  const start = Math.round(from / scale);
  return { from: start, to: Math.max(start + 1, Math.round(to / scale)) };
};

/** Keys with their frames at another rate. */
const scaledKeyframes = (keys: Room['keys'], scale: number): Room['keys'] =>
  keys.map((key) => ({ ...key, at: Math.round(key.at / scale) }));

/** What a layer shows, with the frames of what a cover hides at another rate. */
const scaledKeys = (what: Layer['what'], scale: number): Layer['what'] =>
  what.kind === 'patch' && what.keys ? { ...what, keys: scaledKeyframes(what.keys, scale) } : what;

/** Fits a plan's framing and cut to a master that may be another than its own. */
export function planForMaster(plan: VersionPlan, facts: MasterFacts): FittedPlan {
  const { rate, frames, displayed } = facts.video;
  const words: string[] = [];
  if (plan.master.displayed.width * displayed.height !== plan.master.displayed.height * displayed.width) {
    words.push(
      `The plan was made for ${plan.master.displayed.width} × ${plan.master.displayed.height}; its windows are carried over by proportion.`,
    );
  }
  const k = (plan.master.rate.num * rate.den) / (plan.master.rate.den * rate.num);
  const cutAs = (kept: readonly FrameSpan[]): FittedPlan['cut'] => {
    if (!plan.cut) return null;
    const { kept: inside = [] } = playedWithin({ kept, pace: asEdited, joinMs: 0 }, frames);
    if (keptLength(inside) < keptLength(kept))
      words.push(
        inside.length
          ? 'What the plan keeps behind the film’s end is left out.'
          : 'Nothing that the plan keeps lies inside the film; all of it is kept.',
      );
    return {
      name: plan.cut.name ?? 'From a plan',
      kept: inside.length ? inside : [{ from: 0, to: frames }],
      pace: plan.cut.pace ?? asEdited,
      joinMs: plan.cut.joinMs ?? usualJoinMs,
    };
  };
  const films = (plan.layers ?? []).filter((layer) => layer.what.kind === 'film');
  if (films.length)
    words.push(`Films that are laid over it are left out: ${films.map((layer) => layer.name).join(', ')}.`);
  const coverAt = (scale: number): number | null =>
    plan.coverFrame === undefined ? null : Math.min(frames - 1, Math.round(plan.coverFrame / scale));
  const layersAt = (scale: number): Layer[] =>
    (plan.layers ?? [])
      .filter((layer) => layer.what.kind !== 'film')
      .map((layer) => ({
        ...layer,
        what: scaledKeys(layer.what, scale),
        span: scaledSpan(layer.span, scale),
      }))
      .filter((layer) => layer.span.from < frames);
  const roomAt = (scale: number): Room[] =>
    (plan.roomFor ?? []).map(({ span, keys }) => ({
      span: scaledSpan(span, scale),
      keys: scaledKeyframes(keys, scale),
    }));
  if (plan.master.rate.num * rate.den === plan.master.rate.den * rate.num) {
    if (plan.master.frames !== frames)
      words.push(`The plan was made for ${plan.master.frames} frames and the film has ${frames}.`);
    const stretches = plan.framing.stretches.filter((s) => s.from < frames);
    return {
      framing: { version: 1, stretches },
      cut: cutAs(plan.cut?.kept ?? []),
      coverFrame: coverAt(1),
      sharpen: plan.sharpen ?? null,
      layers: layersAt(1),
      roomFor: roomAt(1),
      words,
    };
  }
  words.push(
    `The plan was made at ${rateLabel(plan.master.rate)} frames a second; its times are carried over to ${rateLabel(rate)}.`,
  );
  const starts = (scale: number, end: number) =>
    [...new Set(plan.framing.stretches.map((s) => Math.round(s.from / scale)))]
      .filter((f) => f < end)
      .map((from) => ({ from, setup: '1' }));
  const from: CarryFilm = {
    shots: starts(1, plan.master.frames),
    frames: plan.master.frames,
    rate: plan.master.rate,
  };
  const to: CarryFilm = { shots: starts(k, frames), frames, rate };
  const kept = (plan.cut?.kept ?? [])
    .map((s) => ({ from: Math.round(s.from / k), to: Math.round(s.to / k) }))
    .filter((s) => s.to > s.from);
  return {
    framing: carryFraming(plan.framing, from, to, matchByTime(from, to)),
    cut: cutAs(kept),
    coverFrame: coverAt(k),
    sharpen: plan.sharpen ?? null,
    layers: layersAt(k),
    roomFor: roomAt(k),
    words,
  };
}

/** The published JSON Schema (draft 2020-12) of the plan file. */
export function versionPlanJsonSchema(): unknown {
  return z.toJSONSchema(versionPlanSchema, { target: 'draft-2020-12', io: 'input' });
}
