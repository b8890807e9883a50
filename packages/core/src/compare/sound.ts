/** A sound at the rate in which sounds are compared, 16 bits, its one or two channels in turn. */
export interface Sound {
  channels: number;
  samples: Int16Array;
}

/**
 * `gap`: silent where the master is heard; `other`: something is heard that the master has not; `turned`: one channel's
 * waves are upside down beside the other's; `exchanged`: left is right; `narrowed`: both are the same where the master's
 * are not.
 */
export const soundFaultKinds = ['gap', 'other', 'turned', 'exchanged', 'narrowed'] as const;

/** What of a file's sound is not the master's. */
export interface SoundFault {
  kind: (typeof soundFaultKinds)[number];
  /** Seconds. */
  from: number;
  to: number;
  /** The one that it is about, where the others are not; 0 left, 1 right. */
  channel?: number;
}

/** All channels as one. */
export function monoOf({ channels, samples }: Sound): Float32Array {
  const mono = new Float32Array(Math.floor(samples.length / channels));
  for (let i = 0; i < mono.length; i++) {
    let sum = 0;
    for (let c = 0; c < channels; c++) sum += samples[i * channels + c]!;
    mono[i] = sum / channels / 32768;
  }
  return mono;
}
