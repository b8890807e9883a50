import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import { timeScript } from '@mivvy/core';
import { listenAlong } from '../ingest/listen.ts';
import { factsOf, ffmpeg, testFolder } from '../testing/helpers.ts';

/**
 * Scripts laid along speech whose times are known: made by espeak-ng, an open speech synthesiser, sentence by sentence,
 * with pauses of known lengths between.
 */
const speaks = spawnSync('espeak-ng', ['--version']).status === 0;
if (!speaks)
  console.error(
    'Timing against synthetic speech is skipped: espeak-ng is missing (apt-get install espeak-ng).',
  );

const spoken: readonly { voice: string; pauses: readonly number[]; sentences: readonly string[] }[] = [
  {
    voice: 'en',
    pauses: [0.3, 0.5, 0.35, 0.6, 0.3, 0.4, 0.8, 0.25],
    sentences: [
      'We fly at eight, before the wind turns.',
      'Not before the lamps are lit, my father used to say, and he was seldom wrong about that.',
      'Every spar is cut by hand.',
      'The red one has crossed this bay more often than the ferry, and nobody has counted how often that is.',
      'See you on the sea wall!',
      'Bring a coat, a friend, and 12 metres of line.',
      'It is free.',
      'Where the path divides, keep to the left: the right one ends at the old boathouse.',
    ],
  },
  {
    voice: 'de',
    pauses: [0.4, 0.3, 0.3, 0.5, 0.3],
    sentences: [
      'Wir fliegen um acht, bevor der Wind dreht.',
      'Mein Vater sagte immer, nicht bevor die Lampen brennen, und er hatte selten unrecht.',
      'Jede Leiste wird von Hand geschnitten.',
      'Die rote ist öfter über diese Bucht geflogen als die Fähre.',
      'Bis bald auf der Mauer!',
    ],
  },
  {
    voice: 'fr',
    pauses: [0.3, 0.25, 0.4, 0.3],
    sentences: [
      'Nous volons à huit heures, avant que le vent ne tourne.',
      'Mon père disait toujours que non.',
      'Chaque baguette est taillée à la main, une par une, dans du frêne du pays.',
      'À bientôt sur la digue.',
    ],
  },
];
/** Words a minute; speakers differ by as much. */
const speeds = [130, 175, 200];
/** A second of silence leads. */
const lead = 1;

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

/** Samples a second of what espeak-ng writes, 16 bits and mono each. */
const speechRate = 22_050;
const secondsOf = (sound: Buffer) => sound.length / 2 / speechRate;
const silence = (seconds: number) => Buffer.alloc(2 * Math.round(seconds * speechRate));

/** One sentence spoken, without the head of its file. */
async function spokenSound(voice: string, speed: number, sentence: string): Promise<Buffer> {
  const { stdout } = await execa(
    'espeak-ng',
    ['-v', voice, '-s', String(speed), '-z', '--stdout', sentence],
    { encoding: 'buffer' },
  );
  const file = Buffer.from(stdout);
  return file.subarray(file.indexOf('data') + 8);
}

async function speak({ voice, pauses, sentences }: (typeof spoken)[number], speed: number) {
  const parts: Buffer[] = [silence(lead)];
  const starts: number[] = [];
  const ends: number[] = [];
  let at = lead;
  for (const [i, sentence] of sentences.entries()) {
    const pause = silence(pauses[i]!);
    const sound = await spokenSound(voice, speed, sentence);
    starts.push(at);
    ends.push(at + secondsOf(sound));
    at += secondsOf(sound) + secondsOf(pause);
    parts.push(sound, pause);
  }
  const speech = join(dir, `${voice} ${speed}.pcm`);
  await writeFile(speech, Buffer.concat(parts));
  const film = join(dir, `${voice} ${speed}.mp4`);
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'color=s=160x90:r=25', '-f', 's16le', '-ar', String(speechRate), '-i', speech],
    ...['-t', String(at + 0.5), '-af', 'apad', '-c:a', 'aac', film],
  );
  return { film, starts, ends };
}

(speaks ? describe : describe.skip)('sentences begin where they are spoken', () => {
  test('median error at most 0.25 s, worst at most 0.8 s, over three languages and three speeds', async () => {
    const errors: number[] = [];
    for (const each of spoken)
      for (const speed of speeds) {
        const { film, starts } = await speak(each, speed);
        const facts = await factsOf(film);
        const heard = await listenAlong(film, facts);
        if (!heard.ok) throw new Error(heard.problem.sentence);
        const timed = timeScript(each.sentences.join(' '), { ...heard.value, rate: facts.video.rate });
        if (!timed.ok) throw new Error(timed.problem.sentence);
        expect(timed.value.flatMap((cue) => cue.lines).join(' ')).toBe(each.sentences.join(' '));
        each.sentences.forEach((sentence, i) => {
          const begins = sentence.split(' ').slice(0, 3).join(' ');
          const cue = timed.value.find((c) => c.lines[0]!.startsWith(begins));
          errors.push(cue ? Math.abs(cue.from - starts[i]!) : Infinity);
        });
      }
    errors.sort((a, b) => a - b);
    expect(errors[errors.length >> 1]).toBeLessThanOrEqual(0.25);
    expect(errors.at(-1)).toBeLessThanOrEqual(0.8);
  }, 450_000);
});

(speaks ? describe : describe.skip)('speech is heard where somebody speaks', () => {
  test.each(spoken.map((each) => [each.voice, each] as const))(
    'in “%s”: over four fifths of the spoken frames, and none before and after',
    async (_voice, each) => {
      const { film, starts, ends } = await speak(each, 175);
      const facts = await factsOf(film);
      const heard = await listenAlong(film, facts);
      if (!heard.ok) throw new Error(heard.problem.sentence);
      const spokenAt = (seconds: number) => starts.some((from, i) => seconds >= from && seconds < ends[i]!);
      const heardAt = (frame: number) => heard.value.speech.some((s) => frame >= s.from && frame < s.to);
      const frames = Array.from({ length: facts.video.frames }, (_, i) => i);
      const said = frames.filter((f) => spokenAt((f + 0.5) / 25));
      const silentAround = frames.filter((f) => (f + 0.5) / 25 < lead || (f + 0.5) / 25 > ends.at(-1)!);
      expect(said.filter(heardAt).length / said.length).toBeGreaterThan(0.8);
      expect(silentAround.length).toBeGreaterThan(30);
      expect(silentAround.filter(heardAt)).toEqual([]);
    },
    150_000,
  );

  test.each([
    ['a steady tone', 'sine=440:d=8'],
    ['noise', 'anoisesrc=d=8:c=pink:a=0.3'],
    ['a tone that swells slowly', 'sine=600:d=8,tremolo=f=0.5:d=0.9'],
    ['a click a second', "aevalsrc='0.8*lt(mod(t,1),0.01)*sin(2*PI*1000*t)':d=8"],
    ['a low drum', "aevalsrc='sin(2*PI*60*t)*exp(-8*mod(t,0.5))':d=8"],
  ])('%s is no speech', async (name, source) => {
    const film = join(dir, `${name}.mp4`);
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'color=s=160x90:r=25:d=8',
      '-f',
      'lavfi',
      '-i',
      source,
      '-c:a',
      'aac',
      film,
    );
    const heard = await listenAlong(film, await factsOf(film));
    if (!heard.ok) throw new Error(heard.problem.sentence);
    expect(heard.value.speech).toEqual([]);
  });
});
