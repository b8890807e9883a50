import type { Placement } from '../schema.ts';
import { audioRule } from './audio.ts';
import { clearAreaRule } from './clear-area.ts';
import { containerRule } from './container.ts';
import { coverRule } from './cover.ts';
import { durationRule } from './duration.ts';
import { captionsRule } from './captions.ts';
import { fileNamesRule } from './file-names.ts';
import { fileSizeRule } from './file-size.ts';
import { frameRateRule } from './frame-rate.ts';
import { frameRule } from './frame.ts';
import type { PlacementRule } from './rule.ts';
import { videoRule } from './video.ts';

/** Every rule that a placement can have, in the order in which they are read and in which a file is checked. */
export const placementRules: readonly PlacementRule<Placement>[] = [
  frameRule,
  durationRule,
  frameRateRule,
  videoRule,
  fileSizeRule,
  containerRule,
  audioRule,
  clearAreaRule,
  captionsRule,
  coverRule,
  fileNamesRule,
];

/** Everything in a placement that no film could keep together, by the paths of the fields that are at fault. */
export const unmeetableIn = (placement: Placement): { path: string[]; message: string }[] =>
  placementRules.flatMap((rule) => rule.unmeetable?.(placement) ?? []);

/** A placement read aloud: its rules as sentences, one paragraph a rule. */
export const placementWords = (placement: Placement): string[] =>
  placementRules.map((rule) => rule.words(placement).join(' ')).filter(Boolean);
