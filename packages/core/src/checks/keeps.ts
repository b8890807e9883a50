import * as z from 'zod';
import { frameSpanSchema } from '../time/span.ts';

/** A rectangle in [0,1] of the displayed master, so that it survives a master of another size. */
export type MasterFraction = { x: number; y: number; width: number; height: number } & {
  readonly in?: 'master fractions';
};

/** Where a keep lies at one frame of its master. */
export const keepKeySchema = z.object({
  /** Master frame. */
  at: z.number().int().nonnegative(),
  x: z.number().min(0).max(1),
  y: z.number().min(0).max(1),
  width: z.number().positive().max(1),
  height: z.number().positive().max(1),
});

export const keepKinds = ['face', 'title', 'logo', 'product', 'other'] as const;

/** Points that one keep moves through at most, and all keeps of a master together: far more than anybody draws. */
const mostKeysOfKeep = 2000;
const mostKeys = 10_000;
const mostKeeps = 400;

/**
 * A region of the master that must stay visible through a span, with a name. One key stands still; more move it in
 * straight lines from key to key.
 */
export const keepSchema = z
  .object({
    id: z.string().min(1).max(40),
    name: z.string().trim().min(1, 'a keep needs a name').max(60),
    kind: z.enum(keepKinds),
    span: frameSpanSchema,
    keys: z
      .array(keepKeySchema)
      .min(1)
      .max(mostKeysOfKeep, `a keep moves through at most ${mostKeysOfKeep} points`),
  })
  .refine(
    (k) => k.keys.every((x) => x.x + x.width <= 1.000001 && x.y + x.height <= 1.000001),
    'a keep lies inside the picture',
  )
  .refine((k) => k.keys.every((x, i) => i === 0 || x.at > k.keys[i - 1]!.at), 'a keep’s keys come in order');
export type Keep = z.infer<typeof keepSchema>;

/** All keeps of a master. */
export const keepsSchema = z
  .array(keepSchema)
  .max(mostKeeps, `a master has at most ${mostKeeps} keeps`)
  .refine(
    (keeps) => keeps.reduce((sum, k) => sum + k.keys.length, 0) <= mostKeys,
    `the keeps of a master have at most ${mostKeys} points together`,
  );
export type KeepKind = Keep['kind'];

/** Where a keep lies at a master frame; before its first key and after its last it stands still. */
export function keepAt(keep: Pick<Keep, 'keys'>, frame: number): MasterFraction {
  const { keys } = keep;
  // The first key after the frame: what was seen moves through thousands of them.
  let [next, end] = [0, keys.length];
  while (next < end) {
    const middle = (next + end) >> 1;
    if (keys[middle]!.at > frame) end = middle;
    else next = middle + 1;
  }
  if (next === 0 || next === keys.length) {
    const { x, y, width, height } = next === 0 ? keys[0]! : keys.at(-1)!;
    return { x, y, width, height };
  }
  const [a, b] = [keys[next - 1]!, keys[next]!];
  const t = (frame - a.at) / (b.at - a.at);
  const mix = (p: number, q: number) => p + (q - p) * t;
  return {
    x: mix(a.x, b.x),
    y: mix(a.y, b.y),
    width: mix(a.width, b.width),
    height: mix(a.height, b.height),
  };
}

/** A keep drawn anew at a frame: the only key is replaced, or one is added where the keep moves. */
export function withKeepAt(
  keep: Keep,
  frame: number,
  rect: MasterFraction,
  moves = keep.keys.length > 1,
): Keep {
  const { x, y, width, height } = clampFraction(rect);
  const placed = { at: frame, x, y, width, height };
  return {
    ...keep,
    keys: moves
      ? [...keep.keys.filter((k) => k.at !== frame), placed].sort((a, b) => a.at - b.at)
      : [{ ...placed, at: keep.keys[0]!.at }],
  };
}

/** Puts a rectangle wholly inside the picture: moved where it fits, made smaller where it does not. At least 0.4 % a side. */
export function clampFraction(rect: MasterFraction): MasterFraction {
  const width = Math.max(0.004, Math.min(1, rect.width));
  const height = Math.max(0.004, Math.min(1, rect.height));
  return {
    x: Math.max(0, Math.min(1 - width, rect.x)),
    y: Math.max(0, Math.min(1 - height, rect.y)),
    width,
    height,
  };
}

/** Keeps as they hold for a film of some length: spans cut at its end; keeps that lie wholly beyond it left out. */
export function keepsWithin(keeps: readonly Keep[], frames: number): Keep[] {
  return keeps
    .filter((k) => k.span.from < frames)
    .map((k) => (k.span.to <= frames ? k : { ...k, span: { from: k.span.from, to: frames } }));
}
