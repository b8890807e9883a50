import { planFingerprint } from '../render/plan.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { placementSchema } from './schema.ts';
import * as z from 'zod';

/** A day as it is written in spec books: `2026-11-02`. */
export const daySchema = z.iso.date('a date is written 2026-11-02');

/** A placement as it was changed once: dated, signed, with its reason. */
export const placementRevisionSchema = z.object({
  /** Counted from 1. */
  number: z.number().int().positive(),
  placement: placementSchema,
  /** The day from which it holds. */
  effectiveOn: daySchema,
  madeAt: z.iso.datetime(),
  by: z.string(),
  reason: z.string(),
});
export type PlacementRevision = z.infer<typeof placementRevisionSchema>;

/**
 * The revision that holds on a day: of those that have taken effect, the one that did so last; where two did on one
 * day, the later made. Before any has, the first. Undefined where there is none.
 */
export function revisionInForce<R extends Pick<PlacementRevision, 'number' | 'effectiveOn'>>(
  revisions: readonly R[],
  today: string,
): R | undefined {
  const begun = revisions.filter((r) => r.effectiveOn <= today);
  const later = (a: R, b: R) =>
    a.effectiveOn > b.effectiveOn || (a.effectiveOn === b.effectiveOn && a.number > b.number) ? a : b;
  if (begun.length > 0) return begun.reduce(later);
  return revisions.length > 0 ? revisions.reduce((a, b) => (a.number < b.number ? a : b)) : undefined;
}

/** The revisions that are to take effect after a day, soonest first. */
export const revisionsToCome = <R extends Pick<PlacementRevision, 'number' | 'effectiveOn'>>(
  revisions: readonly R[],
  today: string,
): R[] =>
  revisions
    .filter((r) => r.effectiveOn > today)
    .sort((a, b) => a.effectiveOn.localeCompare(b.effectiveOn) || a.number - b.number);

/** Numbers that nobody has compared with their source for so long are marked; days. */
export const staleAfterDays = 90;

/** How many days ago a placement was last compared with its source; null where it never was. */
export function daysSinceChecked(verifiedOn: string | undefined, today: string): number | null {
  if (verifiedOn === undefined) return null;
  return Math.round((Date.parse(today) - Date.parse(verifiedOn)) / 86_400_000);
}

/** It is time to compare a placement with its source again. */
export function isStale(verifiedOn: string | undefined, today: string): boolean {
  const days = daysSinceChecked(verifiedOn, today);
  return days === null || days > staleAfterDays;
}

/**
 * What a version needs when its placement becomes another: nothing where the file would be the same, a new export, or
 * its windows looked at as well, where the frame has another shape.
 */
export type NeededAfter = 'nothing' | 'export' | 'framing';

/** What a version needs by the plan that its file was made by, or would be, and by the one after the change. */
export function neededAfter(before: { plan: RenderPlan }, after: { plan: RenderPlan }): NeededAfter {
  if (planFingerprint(before.plan) === planFingerprint(after.plan)) return 'nothing';
  const [a, b] = [before.plan.frame, after.plan.frame];
  return a.width * b.height === b.width * a.height ? 'export' : 'framing';
}

/** What a version needs, in words. */
export const neededWords: Record<NeededAfter, string> = {
  nothing: 'keeps its file as it is',
  export: 'is to be exported again',
  framing: 'is to be framed and exported again',
};
