import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import type { MasterFacts } from '@mivvy/core';
import { Player } from './player.ts';

/** A video element as the desk uses it: it seeks when told to, and shows what a test makes it show. */
class FakeVideo extends EventTarget {
  preload = '';
  playsInline = false;
  muted = false;
  src = '';
  readyState = 0;
  seeking = false;
  paused = true;
  playbackRate = 1;
  dataset: Record<string, string> = {};
  seeks: number[] = [];
  private time = 0;
  private waiting: ((now: number, picture: { mediaTime: number }) => void)[] = [];

  get currentTime() {
    return this.time;
  }
  set currentTime(value: number) {
    this.time = value;
    this.seeking = true;
    this.seeks.push(value);
  }
  requestVideoFrameCallback(callback: (now: number, picture: { mediaTime: number }) => void) {
    this.waiting.push(callback);
  }
  play() {
    this.paused = false;
    return Promise.resolve();
  }
  pause() {
    this.paused = true;
  }
  load() {}
  removeAttribute() {
    this.src = '';
  }

  /** The file's headers have come. */
  arrive() {
    this.readyState = 4;
    this.dispatchEvent(new Event('loadedmetadata'));
    this.settle();
  }
  /** The seek under way ends. */
  settle() {
    this.seeking = false;
    this.dispatchEvent(new Event('seeked'));
  }
  /** A picture is shown. */
  show(mediaTime: number) {
    const callbacks = this.waiting;
    this.waiting = [];
    callbacks.forEach((tell) => tell(0, { mediaTime }));
  }
}

const made: FakeVideo[] = [];
const facts = (num: number, frames: number, startSeconds = 0) =>
  ({
    video: { rate: { num, den: 1 }, frames, startSeconds, displayed: { width: 1920, height: 1080 } },
  }) as MasterFacts;

beforeEach(() => {
  made.length = 0;
  Object.assign(globalThis, {
    document: {
      createElement: () => {
        const v = new FakeVideo();
        made.push(v);
        return v;
      },
    },
  });
});
afterEach(() => {
  delete (globalThis as { document?: unknown }).document;
});

function desk() {
  const d = new Player();
  const film = d.film('one', facts(25, 100), 'original');
  const [video] = made;
  video!.arrive();
  return { d, film, video: video! };
}

describe('the play head', () => {
  test('a film is put on the desk once', () => {
    const { d, film } = desk();
    expect(d.film('one', facts(25, 100), 'original')).toBe(film);
    expect(made).toHaveLength(1);
    expect(film.video.muted).toBe(true);
  });

  test('a proxy that becomes ready takes the original’s place, and whoever listened still hears', () => {
    const { d, film } = desk();
    let drawn = 0;
    film.listeners.add(() => drawn++);
    const proxy = d.film('one', facts(25, 100), 'proxy');
    expect(proxy).not.toBe(film);
    made[1]!.show(0);
    expect(drawn).toBe(1);
    made[0]!.show(0);
    expect(drawn).toBe(1);
  });

  test('seeks to the middle of a frame, so that rounding cannot land on its neighbour; stays inside the film', () => {
    const { d, video } = desk();
    d.seek(37);
    expect(video.currentTime).toBeCloseTo(37.5 / 25, 9);
    video.settle();
    d.seek(1e6);
    expect(d.snapshot().frame).toBe(99);
    video.settle();
    d.seek(-4);
    expect(d.snapshot().frame).toBe(0);
  });

  test('while one seek runs, only the newest of the others is kept', () => {
    const { d, video } = desk();
    const before = video.seeks.length;
    for (const frame of [10, 20, 30, 40]) d.seek(frame);
    expect(video.seeks.length - before).toBe(1);
    video.settle();
    expect(video.seeks.length - before).toBe(2);
    expect(video.currentTime).toBeCloseTo(40.5 / 25, 9);
  });

  test('the frame shown is named by the picture’s own time, from where the picture starts', () => {
    const d = new Player();
    const film = d.film('late', facts(25, 100, 0.2), 'original');
    made[0]!.arrive();
    made[0]!.show(0.2 + 12 / 25);
    expect(film.shown).toBe(12);
    const proxy = d.film('late', facts(25, 100, 0.2), 'proxy');
    made[1]!.show(12 / 25);
    expect(proxy.shown).toBe(12);
  });

  test('playing follows the pictures of the lead film, and rests on the frame that was shown last', () => {
    const { d, video } = desk();
    d.play();
    expect(video.paused).toBe(false);
    video.show(8 / 25);
    expect(d.snapshot()).toMatchObject({ frame: 8, playing: true });
    d.toggle();
    expect(d.snapshot()).toMatchObject({ frame: 8, playing: false });
    expect(video.paused).toBe(true);
    expect(video.currentTime).toBeCloseTo(8.5 / 25, 9);
  });

  test('played from the end, it starts again; a step stops it', () => {
    const { d, video } = desk();
    d.seek(99);
    video.settle();
    d.play();
    expect(d.snapshot().frame).toBe(0);
    d.step(3);
    expect(d.snapshot()).toMatchObject({ frame: 3, playing: false });
  });

  test('films of other rates keep step in seconds, also when the lead changes', () => {
    const { d } = desk();
    d.film('fast', facts(50, 400), 'original');
    made[1]!.arrive();
    d.seek(50);
    expect(made[1]!.currentTime).toBeCloseTo(100.5 / 50, 9);
    d.lead('fast');
    expect(d.snapshot().frame).toBe(100);
    expect(d.secondsNow()).toBe(2);
  });

  test('a film that drifts while playing is brought back', () => {
    const { d, video } = desk();
    d.film('other', facts(25, 100), 'original');
    const other = made[1]!;
    other.arrive();
    video.settle();
    d.play();
    other.settle();
    video.show(40 / 25);
    expect(other.currentTime).toBeCloseTo(40 / 25, 6);
  });

  test('sound comes from the lead film alone', () => {
    const { d, video } = desk();
    d.film('other', facts(25, 100), 'original');
    d.setSound(true);
    expect([video.muted, made[1]!.muted]).toEqual([false, true]);
    d.lead('other');
    expect([video.muted, made[1]!.muted]).toEqual([true, false]);
  });

  test('a film that cannot be played is named; a cleared desk is empty', () => {
    const { d, video } = desk();
    let told = 0;
    d.subscribe(() => told++);
    video.dispatchEvent(new Event('error'));
    expect(d.snapshot().failed).toBe('one');
    expect(told).toBe(1);
    d.clear();
    expect(d.snapshot()).toMatchObject({ frame: 0, failed: null });
    expect(video.src).toBe('');
    d.play();
    expect(d.snapshot().playing).toBe(false);
  });
});

describe('a cut on the desk', () => {
  const kept = [
    { from: 60, to: 80 },
    { from: 10, to: 20 },
    { from: 20, to: 30 },
  ];
  const cutDesk = () => {
    const all = desk();
    all.d.setCut({ kept, pace: { num: 11, den: 10 } });
    all.d.seek(70);
    all.video.settle();
    const drawn: number[] = [];
    all.film.listeners.add(() => drawn.push(all.film.shown));
    return { ...all, drawn };
  };

  test('plays at its pace, goes over a join without showing what is dropped, and stops at its end', () => {
    const { d, film, video, drawn } = cutDesk();
    d.play();
    expect(video.playbackRate).toBeCloseTo(1.1);
    video.show(75 / 25);
    // A second element waits where the next span starts.
    const spare = made[1]!;
    spare.arrive();
    expect(spare.currentTime).toBeCloseTo(10.5 / 25, 9);
    expect([film.video, spare.paused]).toEqual([video, true]);
    video.show(79 / 25);
    expect(d.snapshot().frame).toBe(79);
    // The first frame behind the span is not shown: the next span's first is.
    video.show(80 / 25);
    expect(d.snapshot()).toMatchObject({ frame: 10, playing: true });
    expect(film.video).toBe(spare);
    expect([video.paused, spare.paused, spare.playbackRate]).toEqual([true, false, 1.1]);
    expect(drawn).not.toContain(80);
    expect(drawn.at(-1)).toBe(10);
    // What the one that is put aside still shows is nobody's business.
    video.show(81 / 25);
    expect(d.snapshot().frame).toBe(10);
    // A picture that was on its way when the span began is not shown either.
    spare.show(0);
    expect([d.snapshot().frame, film.shown]).toEqual([10, 10]);
    // Spans that play on from each other are no join.
    spare.show(21 / 25);
    expect(d.snapshot().frame).toBe(21);
    expect(film.video).toBe(spare);
    spare.show(30 / 25);
    expect(d.snapshot()).toMatchObject({ playing: false, frame: 21 });
  });

  test('a next span that is not there yet is waited for, and goes on playing', () => {
    const { d, film, video } = cutDesk();
    d.play();
    video.show(79 / 25);
    video.pause();
    video.show(80 / 25);
    expect(film.video).toBe(video);
    expect(d.snapshot()).toMatchObject({ frame: 10, playing: true });
    expect(video.currentTime).toBeCloseTo(10.5 / 25, 9);
    expect(video.paused).toBe(false);
  });

  test('played from what is dropped it goes on at what is kept next; from its end, at its start', () => {
    const { d, video } = cutDesk();
    for (const [frame, starts] of [
      [40, 60],
      [2, 10],
      [90, 60],
      [29, 60],
      [65, 65],
      [15, 15],
    ] as const) {
      d.seek(frame);
      video.settle();
      d.play();
      expect([frame, d.snapshot().frame]).toEqual([frame, starts]);
      d.pause();
      video.settle();
    }
    d.setCut(null);
    d.seek(40);
    d.play();
    expect(d.snapshot().frame).toBe(40);
    expect(video.playbackRate).toBe(1);
  });

  test('a loop over a shot is played whole, and a film that ends goes on with the cut', () => {
    const { d, film, video } = cutDesk();
    d.setLoop({ from: 30, to: 40 });
    d.play();
    expect(d.snapshot().frame).toBe(30);
    d.setLoop(null);
    d.setCut({
      kept: [
        { from: 90, to: 100 },
        { from: 0, to: 10 },
      ],
      pace: { num: 1, den: 1 },
    });
    d.seek(95);
    video.settle();
    video.show(99 / 25);
    video.dispatchEvent(new Event('ended'));
    expect(d.snapshot()).toMatchObject({ frame: 0, playing: true });
    expect(film.masterId).toBe('one');
  });
});
