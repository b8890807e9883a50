import type { RenderPlan } from '../render/plan-schema.ts';

/** What a finished file is held against. */
export interface Wanted {
  plan: RenderPlan;
  /** Whether something is heard in what of the master it plays; null where that is not known. */
  heard: boolean | null;
  /** It is checked without its master: what only a master can tell is left out. */
  alone: boolean;
}
