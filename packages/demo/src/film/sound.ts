import { dice } from './paint.ts';
import type { Shot } from './scenes.ts';

const sampleRate = 48000;

/** A syllable that somebody says. */
interface Syllable {
  at: number;
  seconds: number;
  vowel: number;
  pitch: number;
  loud: number;
}

/** Formants of five vowels, hertz (a, e, i, o, u; rounded textbook values from memory). */
const vowels = [
  [730, 1090, 2440],
  [530, 1840, 2480],
  [300, 2250, 3000],
  [570, 840, 2410],
  [320, 870, 2240],
] as const;

/** What is said in a shot: phrases of syllables with real gaps between them. */
function speech(shot: Shot, start: number, seed: number): Syllable[] {
  if (!shot.voice) return [];
  const roll = dice(seed);
  const base = shot.voice === 'maker' ? 196 : 112;
  const said: Syllable[] = [];
  let at = start + 0.24;
  const end = start + shot.seconds - 0.28;
  while (at < end - 0.3) {
    const syllables = 4 + Math.floor(roll() * 6);
    for (let i = 0; i < syllables && at < end; i++) {
      const seconds = 0.11 + roll() * 0.09;
      said.push({
        at,
        seconds,
        vowel: Math.floor(roll() * 5),
        pitch: base * (1.12 - (0.22 * i) / syllables + roll() * 0.06),
        loud: 0.65 + roll() * 0.35,
      });
      at += seconds + 0.03;
    }
    at += 0.34 + roll() * 0.3;
  }
  return said;
}

/** How far a speaker's mouth is open at a time, 0 to 1. */
export function mouthAt(shots: readonly Shot[]): (seconds: number) => number {
  const said = schedule(shots);
  return (t) => {
    const s = said.find((one) => t >= one.at && t < one.at + one.seconds);
    return s
      ? Math.sin((Math.PI * (t - s.at)) / s.seconds) * (0.5 + 0.5 * s.loud) * (s.vowel === 2 ? 0.6 : 1)
      : 0;
  };
}

function schedule(shots: readonly Shot[]): Syllable[] {
  let start = 0;
  return shots.flatMap((shot, i) => {
    const said = speech(shot, start, 400 + i);
    start += shot.seconds;
    return said;
  });
}

/** One resonance, run over samples in place of a filter bank. */
function resonator(frequency: number, width: number): (x: number) => number {
  const r = Math.exp((-Math.PI * width) / sampleRate);
  const a = 2 * r * Math.cos((2 * Math.PI * frequency) / sampleRate);
  let [y1, y2] = [0, 0];
  return (x) => {
    const y = (1 - r) * x + a * y1 - r * r * y2;
    y2 = y1;
    y1 = y;
    return y;
  };
}

function addSpeech(left: Float32Array, right: Float32Array, said: readonly Syllable[]): void {
  const roll = dice(9);
  for (const s of said) {
    const bank = vowels[s.vowel]!.map((f, i) => resonator(f, 70 + i * 40));
    const breath = resonator(4200, 1800);
    const from = Math.floor(s.at * sampleRate);
    const length = Math.floor(s.seconds * sampleRate);
    let phase = 0;
    for (let i = 0; i < length && from + i < left.length; i++) {
      const u = i / length;
      phase += (s.pitch * (1 + 0.012 * Math.sin(i / 1500)) * (1 - 0.06 * u)) / sampleRate;
      if (phase > 1) phase -= 1;
      const source = phase < 0.6 ? Math.sin((Math.PI * phase) / 0.6) ** 2 - 0.3 : -0.3;
      let voice = 0;
      bank.forEach((f, k) => (voice += f(source) * [1.6, 1, 0.5][k]!));
      const hiss = u < 0.16 ? breath(roll() * 2 - 1) * (1 - u / 0.16) * 0.9 : 0;
      const envelope = Math.min(1, u * 9) * Math.min(1, (1 - u) * 6) * s.loud;
      const sample = (voice * 1.5 + hiss) * envelope * 0.5;
      left[from + i]! += sample;
      right[from + i]! += sample;
    }
  }
}

/** A plucked string (Karplus–Strong), panned. */
function pluck(
  left: Float32Array,
  right: Float32Array,
  at: number,
  hertz: number,
  gain: number,
  pan: number,
  roll: () => number,
): void {
  const length = Math.round(sampleRate / hertz);
  const string = Float32Array.from({ length }, () => roll() * 2 - 1);
  const from = Math.floor(at * sampleRate);
  let last = 0;
  for (let i = 0; i < sampleRate * 1.6 && from + i < left.length; i++) {
    const k = i % length;
    const value = 0.5 * (string[k]! + last) * 0.9965;
    last = string[k]!;
    string[k] = value;
    left[from + i]! += value * gain * (1 - pan);
    right[from + i]! += value * gain * pan;
  }
}

const chords = [
  [196, 246.94, 293.66, 392],
  [164.81, 196, 246.94, 329.63],
  [130.81, 196, 261.63, 329.63],
  [146.83, 220, 293.66, 369.99],
];

/** The music: plucked chords that step back while somebody speaks. */
function addMusic(
  left: Float32Array,
  right: Float32Array,
  seconds: number,
  speaking: (t: number) => boolean,
): void {
  const roll = dice(21);
  const beat = 60 / 104;
  for (let n = 0; n * (beat / 2) < seconds - 0.6; n++) {
    const at = n * (beat / 2);
    const chord = chords[Math.floor(n / 8) % chords.length]!;
    const note = chord[[0, 2, 1, 3, 2, 1, 3, 2][n % 8]!]!;
    const gain = speaking(at) ? 0.07 : 0.2;
    pluck(left, right, at, note * (n % 16 > 11 ? 2 : 1), gain * (n % 2 ? 0.8 : 1), 0.3 + 0.4 * roll(), roll);
    if (n % 8 === 0) pluck(left, right, at, chord[0]! / 2, gain * 1.4, 0.5, roll);
  }
}

/** The sea: noise that swells and falls. */
function addSea(left: Float32Array, right: Float32Array): void {
  const roll = dice(3);
  let [l, r] = [0, 0];
  for (let i = 0; i < left.length; i++) {
    const swell = 0.5 + 0.5 * Math.sin((2 * Math.PI * i) / sampleRate / 5.3);
    l += 0.06 * (roll() * 2 - 1 - l);
    r += 0.06 * (roll() * 2 - 1 - r);
    left[i]! += l * (0.025 + 0.05 * swell);
    right[i]! += r * (0.025 + 0.05 * swell);
  }
}

/** A film's sound: interleaved stereo float samples at 48 kHz, peaks below −3 dBFS. */
export function filmSound(shots: readonly Shot[]): Float32Array {
  const seconds = shots.reduce((sum, s) => sum + s.seconds, 0);
  const length = Math.round(seconds * sampleRate);
  const left = new Float32Array(length);
  const right = new Float32Array(length);
  const said = schedule(shots);
  let at = 0;
  const talks = shots.map((s) => ({ from: at, to: (at += s.seconds), voice: s.voice }));
  addSpeech(left, right, said);
  addMusic(left, right, seconds, (t) => talks.some((s) => s.voice && t >= s.from && t < s.to));
  addSea(left, right);
  let peak = 0;
  for (let i = 0; i < length; i++) peak = Math.max(peak, Math.abs(left[i]!), Math.abs(right[i]!));
  const gain = 0.68 / peak;
  const fade = sampleRate * 0.8;
  const out = new Float32Array(length * 2);
  for (let i = 0; i < length; i++) {
    const end = Math.min(1, (length - i) / fade);
    out[i * 2] = left[i]! * gain * end;
    out[i * 2 + 1] = right[i]! * gain * end;
  }
  return out;
}
