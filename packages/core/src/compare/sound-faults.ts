import { channelFaults } from './sound-channels.ts';
import { soundGaps } from './sound-gaps.ts';
import { otherWaves } from './sound-waves.ts';
import { monoOf, type Sound, type SoundFault } from './sound.ts';

/**
 * What of a file's sound is not the master's: gaps, other sounds, channels that are exchanged, upside down or the same. How
 * loud it is as a whole is not asked.
 *
 * @param late by how much the file's sound comes later, seconds
 * @param mono both as one channel, where that is known already
 */
export function soundFaults(
  file: Sound,
  master: Sound,
  late: number,
  mono: { file: Float32Array; master: Float32Array } = { file: monoOf(file), master: monoOf(master) },
): SoundFault[] {
  const channels = channelFaults(file, master, late);
  // What is in one channel is looked for in the other then.
  if (channels.some(({ kind }) => kind === 'exchanged' || kind === 'narrowed')) return channels;
  const heard = [...soundGaps(file, master, late), ...otherWaves(mono.file, mono.master, late)];
  return [...channels, ...joined(heard)];
}

/** Faults of both channels at one time are one. */
function joined(faults: readonly SoundFault[]): SoundFault[] {
  const all: SoundFault[] = [];
  for (const fault of [...faults].sort((a, b) => a.from - b.from)) {
    const same = all.find((f) => f.kind === fault.kind && fault.from < f.to && f.from < fault.to);
    if (!same) {
      all.push({ ...fault });
      continue;
    }
    same.to = Math.max(same.to, fault.to);
    if (same.channel !== fault.channel) delete same.channel;
  }
  return all;
}
