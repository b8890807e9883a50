import { heldFraming } from '../framing/framing.ts';
import type { MasterFacts } from '../masters/facts.ts';
import { makePlan } from '../render/plan.ts';
import type { Placement } from '../specs/schema.ts';
import type { Wanted } from './wanted.ts';

/** Stands for the sum of a master that there is none of. */
const noSum = '0'.repeat(64);

/**
 * What a file that comes without its master is held against: the plan by which it would be made for the placement were
 * it its own master, at the bitrate that the placement states.
 */
export function wantedAlone(facts: MasterFacts, placement: Placement): Wanted {
  // A file without sound is still wanted to have what the placement asks for.
  const sound: MasterFacts['audio'] = facts.audio ?? {
    streamIndex: 0,
    codec: 'none',
    channels: 2,
    sampleRate: 48000,
    startSeconds: 0,
    loudness: null,
  };
  const { maxBytes, ...withoutLimit } = placement;
  const { plan } = makePlan({
    facts: { ...facts, audio: sound },
    sha256: noSum,
    placement: withoutLimit,
    framing: heldFraming(),
  });
  return { plan: { ...plan, maxBytes: maxBytes ?? null }, heard: null, alone: true };
}
