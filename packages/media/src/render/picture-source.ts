import type { RenderPlan } from '@mivvy/core';
import type { MasterHandling } from './way-in.ts';

/** Where a plan's pictures are read from: its film, or pictures of it that were decoded before. */
export interface PictureSource {
  path: string;
  /** How what lies there has to be read. */
  master: MasterHandling;
  /** The film's frame that its first picture is. */
  first: number;
}

/** The film itself. */
export const filmItself = (plan: RenderPlan, path: string): PictureSource => ({
  path,
  master: plan.master,
  first: 0,
});

/** A plan as its pictures are decoded from a source: the same ones, counted from where the source begins. */
export const asRead = (plan: RenderPlan, { master, first }: PictureSource): RenderPlan => ({
  ...plan,
  master,
  kept: plan.kept.map(({ from, to }) => ({ from: from - first, to: to - first })),
});
