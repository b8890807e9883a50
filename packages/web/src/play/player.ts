import {
  frameToSeconds,
  joinKept,
  masterSeconds,
  nearestFrame,
  paceValue,
  type FrameSpan,
  type MasterFacts,
  type Played,
} from '@mivvy/core';

/** A film on the desk: one video element that every proof of the film is drawn from. */
export interface Film {
  masterId: string;
  facts: MasterFacts;
  /** The element whose picture is shown now. */
  video: HTMLVideoElement;
  /** A second one for a cut: it waits at the start of the span that plays next, so that a join is no pause. */
  spare: HTMLVideoElement | null;
  /** Master frame that the video shows now; -1 until it shows one. */
  shown: number;
  /** Where the picture starts on the video's own clock, seconds. */
  start: number;
  /** A seek asked for while another was running. */
  pending: number | null;
  listeners: Set<() => void>;
}

/** What the head's readers see. */
interface HeadState {
  frame: number;
  playing: boolean;
  sound: boolean;
  /** Film seconds a second while the shuttle is held; 0 when it is let go. */
  shuttle: number;
  /** The span that is played again and again. */
  loop: FrameSpan | null;
  /** A master whose film this browser cannot play. */
  failed: string | null;
}
type Cut = Pick<Played, 'kept' | 'pace'>;
const atRest: HeadState = { frame: 0, playing: false, sound: false, shuttle: 0, loop: null, failed: null };

/** How often a film is sought anew while the shuttle runs backwards, milliseconds. */
const backwardsEvery = 120;
/** The fastest that browsers play. */
const fastestPlayed = 8;
/** So long before a join the next span is opened, seconds. */
const readySeconds = 1.5;

const frameRate = (film: Film) => film.facts.video.rate.num / film.facts.video.rate.den;

/** A video element that is never seen: proofs are drawn from it. */
function videoOf(address: string): HTMLVideoElement {
  const video = document.createElement('video');
  video.preload = 'auto';
  video.playsInline = true;
  video.muted = true;
  video.dataset.address = address;
  video.src = address;
  return video;
}

/**
 * One play head for all films of a production. Films are drawn from hidden video elements; proofs listen to the film
 * that they show and draw when it shows another frame. Time is the lead film's frame; the others keep step in seconds.
 */
export class Player {
  private readonly films = new Map<string, Film>();
  private readonly listeners = new Set<() => void>();
  private leadId: string | null = null;
  private state: HeadState = atRest;
  private shuttleTimer: ReturnType<typeof setInterval> | undefined;
  /** The cut that plays of the lead film; null plays the whole of it. */
  private cut: Cut | null = null;

  /** What the head's readers see; a new object whenever something changed. */
  snapshot = () => this.state;

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  private set(patch: Partial<typeof this.state>): void {
    this.state = { ...this.state, ...patch };
    this.listeners.forEach((tell) => tell());
  }

  /** Puts a film on the desk, or finds it there. */
  film(masterId: string, facts: MasterFacts, source: 'original' | 'proxy', fileGeneration = 1): Film {
    const address = `/api/masters/${masterId}/media?as=${source}&file=${fileGeneration}`;
    const there = this.films.get(masterId);
    if (there && there.video.dataset.address === address) {
      there.facts = facts;
      return there;
    }
    const film: Film = {
      masterId,
      facts,
      video: videoOf(address),
      spare: null,
      shown: -1,
      start: source === 'original' ? facts.video.startSeconds : 0,
      pending: null,
      listeners: there?.listeners ?? new Set(),
    };
    there?.video.removeAttribute('src');
    there?.spare?.removeAttribute('src');
    this.films.set(masterId, film);
    this.leadId ??= masterId;
    this.listenTo(film, film.video);
    film.video.addEventListener('loadedmetadata', () => {
      this.seekFilm(film, this.secondsNow());
      // A proxy that comes while the film plays goes on playing.
      if (this.state.playing) void film.video.play().catch(() => undefined);
    });
    return film;
  }

  /** Hears what a video element of a film has to tell, for as long as it is the one that is shown. */
  private listenTo(film: Film, video: HTMLVideoElement): void {
    const isShown = () => film.video === video && this.films.get(film.masterId) === film;
    // A picture that was sought is named by its time: it may be drawn before the browser tells of it.
    const redraw = () => {
      if (!isShown() || video.seeking || video.readyState < 2) return;
      film.shown = this.clampFrame(
        film,
        Math.floor(
          ((video.currentTime - film.start) * film.facts.video.rate.num) / film.facts.video.rate.den + 1e-6,
        ),
      );
      film.listeners.forEach((draw) => draw());
    };
    const onFrame = (_now: number, picture: VideoFrameCallbackMetadata) => {
      if (this.films.get(film.masterId) !== film) return;
      video.requestVideoFrameCallback(onFrame);
      if (film.video === video)
        this.onPicture(film, nearestFrame(picture.mediaTime - film.start, film.facts.video.rate));
    };
    video.requestVideoFrameCallback(onFrame);
    video.addEventListener('loadeddata', redraw);
    video.addEventListener('seeked', () => {
      redraw();
      if (!isShown() || film.pending === null) return;
      const next = film.pending;
      film.pending = null;
      this.seekFilm(film, next);
    });
    video.addEventListener('ended', () => {
      if (
        isShown() &&
        film.masterId === this.leadId &&
        !(this.state.playing && this.cut && this.playOn(film))
      )
        this.pause();
    });
    video.addEventListener('error', () => this.set({ failed: film.masterId }));
  }

  /** A film shows another frame. */
  private onPicture(film: Film, frame: number): void {
    // While another is sought, what comes is from before; the one that is sought is drawn when it is there.
    if (film.video.seeking) return;
    const shown = this.clampFrame(film, frame);
    const leads = this.state.playing && film.masterId === this.leadId;
    const { loop } = this.state;
    // What lies outside the kept span that plays is not part of the cut: it is neither drawn nor counted.
    if (leads && !loop && this.cut && this.span) {
      // A picture from before is one that was on its way when the span began.
      if (shown < this.span.from) return;
      if (shown >= this.span.to) {
        if (!this.playOn(film)) this.pause();
        return;
      }
    }
    film.shown = shown;
    film.listeners.forEach((draw) => draw());
    if (!leads) return;
    if (loop && shown >= loop.to - 1) return this.seek(loop.from);
    this.set({ frame: shown });
    this.readySpare(film);
    this.keepStep();
  }

  /** The kept span that plays now. */
  private get span(): FrameSpan | null {
    const { frame } = this.state;
    return this.cut?.kept.find((s) => frame >= s.from && frame < s.to) ?? null;
  }

  /** The kept span that plays after this one. */
  private get nextSpan(): FrameSpan | null {
    const { span, cut } = this;
    return span && cut ? (cut.kept[cut.kept.indexOf(span) + 1] ?? null) : null;
  }

  /** Has the second element wait at the start of the next span, once its join comes near. */
  private readySpare(film: Film): void {
    const next = this.nextSpan;
    if (
      !next ||
      this.span!.to - this.state.frame > readySeconds * frameRate(film) * paceValue(this.cut!.pace)
    )
      return;
    if (!film.spare) {
      film.spare = videoOf(film.video.dataset.address!);
      this.listenTo(film, film.spare);
    }
    const target = film.start + frameToSeconds(next.from + 0.5, film.facts.video.rate);
    if (!film.spare.seeking && Math.abs(film.spare.currentTime - target) > 1e-4)
      film.spare.currentTime = target;
  }

  /** Goes over a join while playing; false at the end of the cut. */
  private playOn(film: Film): boolean {
    const next = this.nextSpan;
    if (!next) return false;
    const target = film.start + frameToSeconds(next.from + 0.5, film.facts.video.rate);
    const { spare, video } = film;
    if (spare && spare.readyState >= 2 && !spare.seeking && Math.abs(spare.currentTime - target) < 1e-3) {
      [film.video, film.spare] = [spare, video];
      video.pause();
      spare.playbackRate = video.playbackRate;
      this.applySound();
      void spare.play().catch(() => undefined);
      film.shown = next.from;
      this.set({ frame: next.from });
      film.listeners.forEach((draw) => draw());
      const seconds = this.secondsNow();
      for (const other of this.films.values()) if (other !== film) this.seekFilm(other, seconds);
    } else {
      // It is not there yet: better a short wait than a wrong picture.
      this.seek(next.from);
      if (film.video.paused) void film.video.play().catch(() => undefined);
    }
    return true;
  }

  /** What plays of the lead film from now on; null for the whole of it. */
  setCut(cut: Cut | null): void {
    this.cut = cut && { kept: joinKept(cut.kept), pace: cut.pace };
    this.applySpeed();
  }

  private applySpeed(): void {
    const speed = this.state.shuttle > 0 ? this.state.shuttle : 1;
    const pace = this.cut ? paceValue(this.cut.pace) : 1;
    for (const film of this.films.values()) film.video.playbackRate = Math.min(fastestPlayed, speed * pace);
  }

  /** The master that leads, whose frames the head counts; null before there is one. */
  leads(): string | null {
    return this.leadId;
  }

  lead(masterId: string): void {
    if (this.leadId === masterId) return;
    const seconds = this.secondsNow();
    this.leadId = masterId;
    const film = this.films.get(masterId);
    if (film) {
      this.set({ frame: this.clampFrame(film, nearestFrame(seconds, film.facts.video.rate)) });
      this.applySound();
    }
  }

  /** Seconds of film before the head. */
  secondsNow(): number {
    const film = this.leadFilm();
    return film ? frameToSeconds(this.state.frame, film.facts.video.rate) : 0;
  }

  private leadFilm(): Film | undefined {
    return this.leadId === null ? undefined : this.films.get(this.leadId);
  }

  private clampFrame(film: Film, frame: number): number {
    return Math.max(0, Math.min(film.facts.video.frames - 1, frame));
  }

  /** Moves the head to a frame of the lead film. */
  seek(frame: number): void {
    const film = this.leadFilm();
    if (!film) return;
    this.set({ frame: this.clampFrame(film, Math.round(frame)) });
    const seconds = this.secondsNow();
    for (const each of this.films.values()) this.seekFilm(each, seconds);
  }

  /** Steps by frames of the lead film; stops playing first. */
  step(frames: number): void {
    this.pause();
    this.seek(this.state.frame + frames);
  }

  private seekFilm(film: Film, seconds: number): void {
    const { rate } = film.facts.video;
    const frame = this.clampFrame(film, nearestFrame(seconds, rate));
    if (film.video.readyState === 0) return; // it seeks when its length is known
    if (film.video.seeking) {
      film.pending = seconds;
      return;
    }
    // The middle of the frame, so that rounding cannot land on its neighbour.
    const target = film.start + frameToSeconds(frame + 0.5, rate);
    if (Math.abs(film.video.currentTime - target) > 1e-4) film.video.currentTime = target;
  }

  toggle(): void {
    if (this.state.playing) this.pause();
    else this.play();
  }

  play(): void {
    const lead = this.leadFilm();
    if (!lead) return;
    const { loop, frame } = this.state;
    if (loop && (frame < loop.from || frame >= loop.to - 1)) this.seek(loop.from);
    else if (!loop && this.cut) this.enterCut(this.cut, frame);
    else if (frame >= lead.facts.video.frames - 1) this.seek(0);
    this.applySpeed();
    this.set({ playing: true });
    const seconds = this.secondsNow();
    for (const film of this.films.values()) {
      if (seconds < masterSeconds(film.facts) - 0.05) void film.video.play().catch(() => undefined);
    }
  }

  /** Played from what is dropped, a cut goes on at the next frame that is kept; from its end it starts again. */
  private enterCut({ kept }: Cut, frame: number): void {
    const { span } = this;
    const last = kept.at(-1);
    if (span && !(span === last && frame >= span.to - 1)) return;
    const next = span ? kept[0] : [...kept].sort((a, b) => a.from - b.from).find((s) => s.from > frame);
    this.seek((next ?? kept[0]!).from);
  }

  pause(): void {
    if (!this.state.playing) return;
    for (const film of this.films.values()) film.video.pause();
    const lead = this.leadFilm();
    // It rests on what is shown; where a picture is still being sought, on that one.
    const arrived = lead && lead.shown >= 0 && !lead.video.seeking && lead.pending === null;
    this.set({ playing: false, frame: arrived ? lead.shown : this.state.frame });
    // Every film comes to rest on the head's own frame.
    this.seek(this.state.frame);
  }

  /** Films that drifted from the lead by more than two frames are brought back. */
  private keepStep(): void {
    const seconds = this.secondsNow();
    for (const film of this.films.values()) {
      if (film.masterId === this.leadId || film.video.seeking || film.video.paused) continue;
      if (Math.abs(film.video.currentTime - film.start - seconds) > 0.1)
        film.video.currentTime = film.start + seconds;
    }
  }

  /** Plays a span again and again; null plays on. */
  setLoop(loop: FrameSpan | null): void {
    this.set({ loop });
  }

  /**
   * Runs the films at a speed for as long as the shuttle is held, forwards or backwards; 0 lets go and rests on the
   * frame that is shown. Backwards is sought, because browsers do not play that way.
   */
  shuttle(speed: number): void {
    clearInterval(this.shuttleTimer);
    this.set({ shuttle: speed });
    this.applySpeed();
    if (speed > 0) {
      if (!this.state.playing) this.play();
    } else {
      this.pause();
      const lead = this.leadFilm();
      if (speed < 0 && lead) {
        const step =
          (-speed * backwardsEvery * lead.facts.video.rate.num) / (1000 * lead.facts.video.rate.den);
        this.shuttleTimer = setInterval(() => this.seek(this.state.frame - step), backwardsEvery);
      }
    }
  }

  setSound(on: boolean): void {
    this.set({ sound: on });
    this.applySound();
  }

  private applySound(): void {
    for (const film of this.films.values()) {
      film.video.muted = !this.state.sound || film.masterId !== this.leadId;
      if (film.spare) film.spare.muted = true;
    }
  }

  /** Clears the desk. */
  clear(): void {
    for (const film of this.films.values()) {
      for (const video of [film.video, film.spare]) {
        video?.pause();
        video?.removeAttribute('src');
        video?.load();
      }
    }
    this.films.clear();
    this.leadId = null;
    this.cut = null;
    clearInterval(this.shuttleTimer);
    this.state = atRest;
  }
}
