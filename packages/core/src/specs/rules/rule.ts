import type * as z from 'zod';
import type { CheckLine } from '../../checks/check-line.ts';
import type { MeasuredFile } from '../../checks/measured-file.ts';
import type { Trouble } from '../../checks/trouble-kinds.ts';
import type { Wanted } from '../../checks/wanted.ts';
import type { PlannedVersion } from '../../render/plan-schema.ts';
import type { FrameSpan } from '../../time/span.ts';

/**
 * A rule of a placement: how it is written, how it reads, what can be wrong with a version by it before it is exported,
 * and what is measured of the file by it. `Part` is what of a placement it looks at; a placement has it all.
 */
export interface PlacementRule<Part> {
  /** The placement's fields that are its own. */
  fields: z.ZodRawShape;
  /** The rule in sentences; empty where the placement says nothing. */
  words: (placement: Part) => string[];
  /** What a planned version breaks of it, before it is exported; `source` is from its first to its last kept frame. */
  troubles?: (planned: PlannedVersion, placement: Part, source: FrameSpan) => Trouble[];
  /** The lines of the check report that belong to it, in their order; without the placement where only its plan is known. */
  lines?: (wanted: Wanted, measured: MeasuredFile, placement: Part | null) => CheckLine[];
  /**
   * Where no film that the place allows could keep it together with its other rules. Refused when the book is changed;
   * a film that is delivered by such a book is told in its own troubles.
   */
  unmeetable?: (placement: Part) => { path: string[]; message: string }[];
  /** Where it contradicts another rule of the same placement, by the path of the field that is at fault. */
  contradictions?: (placement: Part) => { path: string[]; message: string }[];
}
