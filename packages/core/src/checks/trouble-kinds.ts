import * as z from 'zod';
import { frameSpanSchema, type FrameSpan } from '../time/span.ts';
import { keepSchema } from './keeps.ts';

/** What a kind of trouble is, apart from the sentence that names its numbers. */
interface TroubleKind {
  /** In a word or two, for stamps. */
  word: string;
  /**
   * - `fault`: breaks a rule of the placement, or cuts something that must be seen.
   * - `look`: needs a person's eye.
   * - `note`: worth knowing, nothing to do.
   */
  severity: 'fault' | 'look' | 'note';
  /** It is about the film as a whole, or has a place along its length. */
  scope: 'film' | 'span';
  /** Nothing is exported until it is mended: the place would not take the file. */
  refuses: boolean;
  /** Where it is mended. */
  mendedIn: 'framing' | 'timing' | 'layers' | 'captions' | 'nowhere';
  /** What would mend it, where that does not depend on anything; empty where nothing needs mending. */
  mend: string;
}

/** Every kind of trouble there is. The compiler asks for whatever is missing when one is added. */
export const troubleKinds = {
  'too-long': {
    word: 'Too long',
    severity: 'fault',
    scope: 'span',
    refuses: true,
    mendedIn: 'timing',
    mend: 'Make a shorter cut in Timing, or choose a place that allows more.',
  },
  'too-short': {
    word: 'Too short',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'timing',
    mend: 'Keep more of the film, or bring in a longer one.',
  },
  'no-sound': {
    word: 'No sound',
    severity: 'look',
    scope: 'film',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Bring in a master with sound if the place needs it.',
  },
  'sound-required': {
    word: 'Sound is required',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'nowhere',
    mend: 'Bring in a master with sound.',
  },
  'master-small': {
    word: 'Master too small',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'nowhere',
    mend: 'Bring in a larger master.',
  },
  'master-large': {
    word: 'Master too large',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'nowhere',
    mend: 'Bring in a smaller copy of the master.',
  },
  'textless-missing': {
    word: 'No textless master',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'framing',
    mend: 'Match the textless master with the film in Masters, or draw this version from the film itself.',
  },
  'rate-uneven': {
    word: 'Rate not taken',
    severity: 'look',
    scope: 'film',
    refuses: false,
    mendedIn: 'timing',
    mend: 'An edit at the place’s own rate avoids it.',
  },
  'size-floor': {
    word: 'File limit too small',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'framing',
    mend: 'Deliver a shorter stretch of the film.',
  },
  'rate-lowered': {
    word: 'Bitrate lowered',
    severity: 'note',
    scope: 'film',
    refuses: false,
    mendedIn: 'nowhere',
    mend: '',
  },
  enlarged: {
    word: 'Enlarged',
    severity: 'note',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'A master with more pixels would avoid it.',
  },
  'enlarged-far': {
    word: 'Enlarged too far',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Zoom out, or bring in a master with more pixels.',
  },
  bars: { word: 'Bars', severity: 'note', scope: 'span', refuses: false, mendedIn: 'framing', mend: '' },
  'keep-cut': {
    word: 'Cut',
    severity: 'fault',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window, or make it larger.',
  },
  'keep-blocked': {
    word: 'Behind what the outlet draws',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window so that it stands clear.',
  },
  'keep-margin': {
    word: 'Outside the margin',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window a little.',
  },
  'face-cut': {
    word: 'Face cut',
    severity: 'fault',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window, show the shot whole, or say that it does not matter.',
  },
  'seen-cut': {
    word: 'Cut',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window, make it larger, or say that it does not matter.',
  },
  'seen-blocked': {
    word: 'Behind what the outlet draws',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window so that it stands clear, or say that it does not matter.',
  },
  'seen-margin': {
    word: 'Outside the margin',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'framing',
    mend: 'Move the window a little, or say that it does not matter.',
  },
  conformed: {
    word: 'Rate conformed',
    severity: 'note',
    scope: 'film',
    refuses: false,
    mendedIn: 'nowhere',
    mend: '',
  },
  'no-level': {
    word: 'Frame too large',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'framing',
    mend: 'Choose a smaller frame or a lower rate in the spec book.',
  },
  'level-above': {
    word: 'Level too high',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'framing',
    mend: 'Choose a smaller frame, a lower rate or a lower ceiling in the spec book.',
  },
  'no-captions': {
    word: 'No captions',
    severity: 'note',
    scope: 'film',
    refuses: false,
    mendedIn: 'captions',
    mend: 'Bring in a caption file in Layers, or lay a script along the speech.',
  },
  'captions-fast': {
    word: 'Captions too quick',
    severity: 'look',
    scope: 'film',
    refuses: false,
    mendedIn: 'captions',
    mend: 'Shorten their words, or let them stand longer.',
  },
  'captions-short': {
    word: 'Captions too short',
    severity: 'look',
    scope: 'film',
    refuses: false,
    mendedIn: 'captions',
    mend: 'Let them stand longer, or join them with their neighbours.',
  },
  'captions-no-room': {
    word: 'No room for captions',
    severity: 'fault',
    scope: 'film',
    refuses: true,
    mendedIn: 'framing',
    mend: 'Deliver the captions in a file beside the film, or free a part of the frame in the spec book.',
  },
  'letters-missing': {
    word: 'Letters missing',
    severity: 'look',
    scope: 'film',
    refuses: false,
    mendedIn: 'layers',
    mend: 'Write them otherwise: an empty box is drawn for each.',
  },
  'layer-blocked': {
    word: 'Behind what the outlet draws',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'layers',
    mend: 'Move it inside the clear area, or make it smaller, in this version.',
  },
  'layer-margin': {
    word: 'Outside the margin',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'layers',
    mend: 'Move it inwards, or make it smaller, in this version.',
  },
  'layers-collide': {
    word: 'Over each other',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'layers',
    mend: 'Move one of them, or show them one after the other.',
  },
  'layer-over': {
    word: 'Over what should be seen',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'layers',
    mend: 'Move the layer to another side, in this version.',
  },
  'pace-high': {
    word: 'Fast',
    severity: 'look',
    scope: 'span',
    refuses: false,
    mendedIn: 'timing',
    mend: 'Cut more instead.',
  },
} as const satisfies Record<string, TroubleKind>;

export type TroubleCode = keyof typeof troubleKinds;
const codes = Object.keys(troubleKinds) as [TroubleCode, ...TroubleCode[]];

/** What of what was seen should not be hidden. */
export const seenKinds = ['person', 'face', 'title'] as const;

/** Something wrong, or worth knowing, at a span of frames of a version. */
export const troubleSchema = z.object({
  code: z.enum(codes),
  severity: z.enum(['fault', 'look', 'note']),
  /** Master frames that it covers. */
  span: frameSpanSchema,
  sentence: z.string(),
  /** What would mend it; empty where nothing needs mending. */
  mend: z.string(),
  /** The keep that it is about. */
  keepId: keepSchema.shape.id.optional(),
  /** The seen thing that it is about, and what that is called. */
  seen: z.strictObject({ id: z.string(), name: z.string(), what: z.enum(seenKinds) }).optional(),
  /** The blocked area that covers it. */
  area: z.string().optional(),
  /** The layer that it is about. */
  layerId: z.string().optional(),
});
export type Trouble = z.infer<typeof troubleSchema>;

/** What a kind of trouble is. */
export const troubleKind = (code: TroubleCode): TroubleKind => troubleKinds[code];

/** A trouble of a kind at a span of master frames; `mend` where the kind's own does not fit. */
export function trouble(
  code: TroubleCode,
  span: FrameSpan,
  sentence: string,
  more: Partial<Pick<Trouble, 'mend' | 'keepId' | 'seen' | 'area' | 'layerId'>> = {},
): Trouble {
  const { severity, mend } = troubleKinds[code];
  return { code, severity, span, sentence, mend, ...more };
}

/** The trouble that stops a version from being exported, if there is one. */
export function refusal(troubles: readonly Trouble[]): Trouble | undefined {
  return troubles.find((t) => troubleKinds[t.code].refuses);
}

/** It has a place along the film that asks for a look; all others are about the film as a whole. */
export const isPlaced = (t: Trouble): boolean =>
  t.severity !== 'note' && troubleKinds[t.code].scope === 'span';
