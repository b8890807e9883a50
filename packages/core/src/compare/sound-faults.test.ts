import { describe, expect, test } from '@jest/globals';
import { compareSoundRate } from './sound-offset.ts';
import { soundFaults } from './sound-faults.ts';
import type { Sound } from './sound.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { sin, round, PI } = Math;

const seconds = 9;
const count = seconds * compareSoundRate;

/** Noise that swells and falls, the same in every run; two seeds give sounds that have nothing to do with each other. */
function noise(seed: number, level = 0.2): Float32Array {
  let state = seed;
  let low = 0;
  return Float32Array.from({ length: count }, (_, i) => {
    state = (state * 1664525 + 1013904223) >>> 0;
    low = 0.6 * low + (state / 2 ** 32 - 0.5);
    return level * low * (1 + 0.7 * sin((i / compareSoundRate) * 2 * PI * 1.3));
  });
}

function soundOf(...channels: Float32Array[]): Sound {
  const samples = new Int16Array(count * channels.length);
  channels.forEach((channel, c) =>
    channel.forEach((v, i) => {
      samples[i * channels.length + c] = round(v * 32767);
    }),
  );
  return { channels: channels.length, samples };
}

const at = (from: number, to: number) => (v: number, i: number) =>
  i >= from * compareSoundRate && i < to * compareSoundRate ? 0 : v;
const later = (channel: Float32Array, by: number) => channel.map((_, i) => channel[i - by] ?? 0);
const times = (channel: Float32Array, by: number) => channel.map((v) => v * by);

const [left, right] = [noise(3), noise(11)];
const master = soundOf(left, right);
const told = (file: Sound, late = 0, of = master) =>
  soundFaults(file, of, late).map(({ kind, channel }) =>
    channel === undefined ? kind : `${kind} ${channel}`,
  );

describe('what of a file’s sound is not its master’s', () => {
  test.each([
    ['the same', soundOf(left, right)],
    ['half as loud', soundOf(times(left, 0.5), times(right, 0.5))],
    ['2 ms late, as coders make it', soundOf(later(left, 8), later(right, 8))],
    [
      'with a little noise of coding',
      soundOf(...[left, right].map((s) => s.map((v, i) => v + 0.002 * sin(i * i)))),
    ],
    ['upside down as a whole, which nobody hears', soundOf(times(left, -1), times(right, -1))],
  ])('%s: nothing', (_name, file) => {
    expect(told(file)).toEqual([]);
  });

  test('a gap in both channels, and in one, at its place', () => {
    const both = soundFaults(soundOf(left.map(at(4, 4.2)), right.map(at(4, 4.2))), master, 0);
    expect(both).toHaveLength(1);
    expect(both[0]!.kind).toBe('gap');
    expect(both[0]!.channel).toBeUndefined();
    expect(both[0]!.from).toBeCloseTo(4, 1);
    expect(both[0]!.to).toBeCloseTo(4.2, 1);
    expect(told(soundOf(left, right.map(at(2, 2.3))))).toEqual(['gap 1']);
    expect(told(soundOf(left.map(at(0, seconds)), right))).toEqual(['gap 0']);
  });

  test('a gap of a twentieth of a second is not asked for', () => {
    expect(told(soundOf(left.map(at(4, 4.05)), right.map(at(4, 4.05))))).toEqual([]);
  });

  test('something else where the master is silent; not its own silence', () => {
    const quiet = soundOf(left.map(at(3, 5)), right.map(at(3, 5)));
    expect(told(quiet, 0, quiet)).toEqual([]);
    expect(told(master, 0, quiet)).toEqual(['other']);
  });

  test('one channel upside down, and channels that are exchanged', () => {
    expect(told(soundOf(left, times(right, -1)))).toEqual(['turned 1']);
    expect(told(soundOf(later(times(left, -1), 8), later(right, 8)))).toEqual(['turned 0']);
    expect(told(soundOf(right, left))).toEqual(['exchanged']);
    // Both channels the same: nothing tells whether they are exchanged, and a turned one cancels the other.
    const mono = soundOf(left, left);
    expect(told(mono, 0, mono)).toEqual([]);
    expect(told(soundOf(left, times(left, -1)), 0, mono)).toEqual(['turned 1']);
  });

  test('channels that share a voice are told apart, and are one no more where the master’s are two', () => {
    const voice = noise(29, 0.4);
    const mixed = [left, right].map((own) => own.map((v, i) => v + voice[i]!));
    const both = soundOf(mixed[0]!, mixed[1]!);
    expect(told(soundOf(mixed[1]!, mixed[0]!), 0, both)).toEqual(['exchanged']);
    expect(told(soundOf(mixed[0]!, mixed[0]!), 0, both)).toEqual(['narrowed']);
    const middle = mixed[0]!.map((v, i) => (v + mixed[1]![i]!) / 2);
    expect(told(soundOf(middle, middle), 0, both)).toEqual(['narrowed']);
    expect(told(soundOf(left, left), 0, soundOf(left, left))).toEqual([]);
  });

  test('another sound as loud as the master’s, for a second; not one that is only late', () => {
    const tone = (v: number, i: number) =>
      i >= 4 * compareSoundRate && i < 5 * compareSoundRate
        ? 0.05 * sin((i / compareSoundRate) * 2 * PI * 500)
        : v;
    const [other, ...more] = soundFaults(soundOf(left.map(tone), right.map(tone)), master, 0);
    expect(more).toEqual([]);
    expect(other!.kind).toBe('other');
    expect(other!.from).toBeCloseTo(4, 0);
    expect(other!.to).toBeCloseTo(5, 0);
    const slipped = [left, right].map((s) => s.map((v, i) => (i < 6 * compareSoundRate ? v : s[i - 400]!)));
    expect(told(soundOf(...slipped))).toEqual([]);
  });

  test('a steady tone is upside down at every half turn, which tells nothing', () => {
    const tone = Float32Array.from(
      { length: count },
      (_, i) => 0.3 * sin((i / compareSoundRate) * 2 * PI * 250),
    );
    const file = soundOf(later(tone, 8), later(right, 8));
    expect(told(file, 0.002, soundOf(tone, right))).toEqual([]);
  });

  test('one that is late is held against where it is heard', () => {
    const by = round(0.5 * compareSoundRate);
    const file = soundOf(later(left.map(at(4, 4.3)), by), later(right.map(at(4, 4.3)), by));
    expect(told(soundOf(later(right, by), later(left, by)), 0.5)).toEqual(['exchanged']);
    const [gap] = soundFaults(file, master, 0.5).filter(({ kind }) => kind === 'gap');
    expect(gap?.from).toBeCloseTo(4.5, 1);
  });

  test('silence is no fault of silence, and one channel is compared as one', () => {
    const none = soundOf(new Float32Array(count));
    expect(told(none, 0, none)).toEqual([]);
    expect(told(soundOf(left.map(at(4, 4.3))), 0, soundOf(left))).toEqual(['gap 0']);
  });
});
