import { frameToSeconds, masterSeconds, nearestFrame, type FrameSpan, type MasterFacts } from '@mivvy/core';

/** A film on the desk: one video element that every proof of the film is drawn from. */
export interface Film {
  masterId: string;
  facts: MasterFacts;
  video: HTMLVideoElement;
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
const atRest: HeadState = { frame: 0, playing: false, sound: false, shuttle: 0, loop: null, failed: null };

/** How often a film is sought anew while the shuttle runs backwards, milliseconds. */
const backwardsEvery = 120;

/**
 * One play head for all films of a production. Films are drawn from hidden video elements; proofs listen to the film
 * that they show and draw when it shows another frame. Time is the lead film's frame; the others keep step in seconds.
 */
export class PlayDesk {
  private readonly films = new Map<string, Film>();
  private readonly listeners = new Set<() => void>();
  private leadId: string | null = null;
  private state: HeadState = atRest;
  private shuttleTimer: ReturnType<typeof setInterval> | undefined;

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
  film(masterId: string, facts: MasterFacts, source: 'original' | 'proxy', take = 1): Film {
    const address = `/api/masters/${masterId}/media?as=${source}&take=${take}`;
    const there = this.films.get(masterId);
    if (there && there.video.dataset.address === address) {
      there.facts = facts;
      return there;
    }
    const video = document.createElement('video');
    video.preload = 'auto';
    video.playsInline = true;
    video.muted = true;
    video.dataset.address = address;
    video.src = address;
    const film: Film = { masterId, facts, video, shown: -1, start: source === 'original' ? facts.video.startSeconds : 0, pending: null, listeners: there?.listeners ?? new Set() };
    there?.video.removeAttribute('src');
    this.films.set(masterId, film);
    this.leadId ??= masterId;
    const onFrame = (_now: number, picture: VideoFrameCallbackMetadata) => {
      if (this.films.get(masterId) !== film) return;
      video.requestVideoFrameCallback(onFrame);
      film.shown = Math.max(0, Math.min(facts.video.frames - 1, nearestFrame(picture.mediaTime - film.start, facts.video.rate)));
      film.listeners.forEach((draw) => draw());
      if (this.state.playing && masterId === this.leadId) {
        const { loop } = this.state;
        if (loop && film.shown >= loop.to - 1) return this.seek(loop.from);
        this.set({ frame: film.shown });
        this.keepStep();
      }
    };
    video.requestVideoFrameCallback(onFrame);
    video.addEventListener('loadedmetadata', () => {
      this.seekFilm(film, this.secondsNow());
      // A proxy that comes while the film plays goes on playing.
      if (this.state.playing) void video.play().catch(() => undefined);
    });
    video.addEventListener('seeked', () => {
      if (film.pending === null) return;
      const next = film.pending;
      film.pending = null;
      this.seekFilm(film, next);
    });
    video.addEventListener('ended', () => masterId === this.leadId && this.pause());
    video.addEventListener('error', () => this.set({ failed: masterId }));
    return film;
  }

  /** Which film's frames the head counts. */
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
    else if (frame >= lead.facts.video.frames - 1) this.seek(0);
    this.set({ playing: true });
    const seconds = this.secondsNow();
    for (const film of this.films.values()) {
      if (seconds < masterSeconds(film.facts) - 0.05) void film.video.play().catch(() => undefined);
    }
  }

  pause(): void {
    if (!this.state.playing) return;
    for (const film of this.films.values()) film.video.pause();
    const lead = this.leadFilm();
    this.set({ playing: false, frame: lead && lead.shown >= 0 ? lead.shown : this.state.frame });
    // Every film comes to rest on the head's own frame.
    this.seek(this.state.frame);
  }

  /** Films that drifted from the lead by more than two frames are brought back. */
  private keepStep(): void {
    const seconds = this.secondsNow();
    for (const film of this.films.values()) {
      if (film.masterId === this.leadId || film.video.seeking || film.video.paused) continue;
      if (Math.abs(film.video.currentTime - film.start - seconds) > 0.1) film.video.currentTime = film.start + seconds;
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
    for (const film of this.films.values()) film.video.playbackRate = speed > 0 ? Math.min(8, speed) : 1;
    if (speed > 0) {
      if (!this.state.playing) this.play();
    } else {
      this.pause();
      const lead = this.leadFilm();
      if (speed < 0 && lead) {
        const step = (-speed * backwardsEvery * lead.facts.video.rate.num) / (1000 * lead.facts.video.rate.den);
        this.shuttleTimer = setInterval(() => this.seek(this.state.frame - step), backwardsEvery);
      }
    }
    this.set({ shuttle: speed });
  }

  setSound(on: boolean): void {
    this.set({ sound: on });
    this.applySound();
  }

  private applySound(): void {
    for (const film of this.films.values()) film.video.muted = !this.state.sound || film.masterId !== this.leadId;
  }

  /** Clears the desk. */
  clear(): void {
    for (const film of this.films.values()) {
      film.video.pause();
      film.video.removeAttribute('src');
      film.video.load();
    }
    this.films.clear();
    this.leadId = null;
    clearInterval(this.shuttleTimer);
    this.state = atRest;
  }
}
