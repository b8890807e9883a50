import { useRef, useState, type CSSProperties, type FormEvent, type PointerEvent } from 'react';
import type { Note, ReviewPage } from '@mivvy/api';
import { answer, fileUrl, note, Refused } from './ask.ts';

type File = ReviewPage['files'][number];

/** Whoever answers signs; the browser remembers how. */
const whoKey = 'mivvy.review.who';

const clock = (seconds: number) =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`;
const secondsOf = (frame: number, { rate }: File) => (frame * rate.den) / rate.num;
const frameAt = (seconds: number, { rate, frames }: File) =>
  Math.min(frames - 1, Math.max(0, Math.floor((seconds * rate.num) / rate.den + 0.001)));
/** The middle of a frame: its edges belong to two. */
const middleOf = (frame: number, file: File) => secondsOf(frame + 0.5, file);

/** A registration mark with a number: where a note is pinned. */
function Mark({ number, x, y }: { number: number; x: number; y: number }) {
  return (
    <span className="mark" style={{ left: `${x * 100}%`, top: `${y * 100}%` }}>
      <svg width="27" height="27" viewBox="0 0 27 27" aria-hidden>
        <circle cx="13.5" cy="13.5" r="7" />
        <path d="M13.5 0v27M0 13.5h27" />
      </svg>
      <b>{number}</b>
    </span>
  );
}

/** One note with its answers, and a line to answer it. */
function Thread({
  item,
  number,
  file,
  onSeek,
  onAnswer,
}: {
  item: Note;
  number: number;
  file: File;
  onSeek: (frame: number) => void;
  onAnswer: (words: string) => Promise<void>;
}) {
  const [words, setWords] = useState('');
  const isOld = item.sha256 !== file.sha256;
  return (
    <li className={item.doneAt ? 'seen' : ''}>
      <p>
        {number} · {item.words}
      </p>
      <p className="small">
        {isOld ? (
          'to the film before this one'
        ) : (
          <button onClick={() => onSeek(item.frame)}>at {clock(secondsOf(item.frame, file))}</button>
        )}
        , {item.by}
        {item.doneAt && ' · seen to'}
      </p>
      {item.answers.map((each) => (
        <p key={each.id} className="reply">
          {each.words} <span className="small">{each.by}</span>
        </p>
      ))}
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (words.trim()) void onAnswer(words).then(() => setWords(''));
        }}
      >
        <input
          aria-label={`Answer note ${number}`}
          placeholder="Answer"
          value={words}
          maxLength={2000}
          onChange={(event) => setWords(event.target.value)}
        />
      </form>
    </li>
  );
}

/** Asks once how whoever answers signs. */
function useName() {
  const [name, setName] = useState(() => localStorage.getItem(whoKey) ?? '');
  const [asking, setAsking] = useState<((name: string) => void) | null>(null);
  const withName = (go: (name: string) => void) => (name ? go(name) : setAsking(() => go));
  const sign = (given: string) => {
    localStorage.setItem(whoKey, given);
    setName(given);
    setAsking(null);
    asking?.(given);
  };
  return { withName, asking: asking !== null, sign, cancel: () => setAsking(null) };
}

function NameSheet({ onSign, onCancel }: { onSign: (name: string) => void; onCancel: () => void }) {
  const [name, setName] = useState('');
  const go = (event: FormEvent) => {
    event.preventDefault();
    if (name.trim()) onSign(name.trim());
  };
  return (
    <form className="sheet" onSubmit={go} aria-label="Who are you?">
      <p>Who are you? Your answer carries your name.</p>
      <input
        autoFocus
        aria-label="Your name"
        autoComplete="name"
        maxLength={60}
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <div className="two">
        <button type="button" className="no" onClick={onCancel}>
          Back
        </button>
        <button className="yes">Go on</button>
      </div>
    </form>
  );
}

/** A note that is being written: where it is pinned, and its words. */
interface Draft {
  frame: number;
  x: number | null;
  y: number | null;
  words: string;
}

/** One film: played in its place's furniture, answered, and written to. */
export function Film({
  file,
  page,
  secret,
  number,
  onGo,
  onTold,
}: {
  file: File;
  page: ReviewPage;
  secret: string;
  number: number;
  onGo: (step: number) => void;
  onTold: (page: ReviewPage) => void;
}) {
  const video = useRef<HTMLVideoElement>(null);
  const [seconds, setSeconds] = useState(0);
  const [isMuted, setMuted] = useState(true);
  const [isPlaying, setPlaying] = useState(false);
  const [furniture, setFurniture] = useState(true);
  const [draft, setDraft] = useState<Draft | null>(null);
  const [wrong, setWrong] = useState('');
  const name = useName();
  const frame = frameAt(seconds, file);
  const seek = (to: number) => {
    if (!video.current) return;
    video.current.pause();
    video.current.currentTime = to;
    setSeconds(to);
  };
  const toFrame = (to: number) => seek(middleOf(to, file));
  const seen = { deliverableId: file.id, sha256: file.sha256 };
  const tell = (work: Promise<ReviewPage>) => {
    setWrong('');
    return work.then(onTold, (error: unknown) => {
      setWrong(error instanceof Refused ? `${error.problem.sentence} ${error.problem.mend}` : String(error));
      throw error;
    });
  };
  const say = (which: 'approved' | 'changes-asked' | 'withdrawn') =>
    name.withName((by) => void tell(answer(secret, { ...seen, answer: which, by })).catch(() => undefined));
  const startNote = () => {
    video.current?.pause();
    setDraft({ frame: frameAt(video.current?.currentTime ?? seconds, file), x: null, y: null, words: '' });
  };
  const pin = (event: PointerEvent<HTMLDivElement>) => {
    if (!draft) return;
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
    setDraft({ ...draft, x: Math.min(1, Math.max(0, x)), y: Math.min(1, Math.max(0, y)) });
  };
  const sendNote = (event: FormEvent) => {
    event.preventDefault();
    if (!draft?.words.trim()) return;
    name.withName((by) => {
      const { words, ...where } = draft;
      void tell(note(secret, { ...seen, ...where, words, by }))
        .then(() => tell(answer(secret, { ...seen, answer: 'changes-asked', by })))
        .then(() => setDraft(null))
        .catch(() => undefined);
    });
  };
  const own = file.notes.filter((each) => each.sha256 === file.sha256);
  return (
    <main className="film">
      <header>
        <p className="small">
          {[page.client, page.production].filter(Boolean).join(' · ')}
          {page.files.length > 1 && ` · ${number} of ${page.files.length}`}
        </p>
        <h1>{file.title}</h1>
        {page.files.length > 1 && (
          <nav aria-label="Films">
            <button onClick={() => onGo(-1)} aria-label="The film before">
              ‹
            </button>
            <button onClick={() => onGo(1)} aria-label="The next film">
              ›
            </button>
          </nav>
        )}
      </header>
      <div className="stage">
        <div
          className={`picture ${draft ? 'pinning' : ''}`}
          style={{ '--shape': file.frame.width / file.frame.height } as CSSProperties}
          onPointerDown={pin}
          data-testid="picture"
        >
          <video
            ref={video}
            src={fileUrl(secret, file.id)}
            muted={isMuted}
            playsInline
            preload="metadata"
            onTimeUpdate={(event) => setSeconds(event.currentTarget.currentTime)}
            onPlay={() => setPlaying(true)}
            onPause={() => setPlaying(false)}
            onClick={() => {
              if (draft) return;
              if (isPlaying) video.current?.pause();
              else void video.current?.play();
            }}
          />
          {furniture &&
            file.blocked.map((area) => (
              <span
                key={area.name}
                className="blocked"
                style={{
                  left: `${area.x * 100}%`,
                  top: `${area.y * 100}%`,
                  width: `${area.width * 100}%`,
                  height: `${area.height * 100}%`,
                }}
              >
                {area.name}
              </span>
            ))}
          {own.map((each, i) =>
            each.x !== null && each.y !== null && Math.abs(each.frame - frame) < 13 ? (
              <Mark key={each.id} number={i + 1} x={each.x} y={each.y} />
            ) : null,
          )}
          {draft?.x != null && draft.y !== null && <Mark number={own.length + 1} x={draft.x} y={draft.y} />}
        </div>
      </div>
      <div className="along">
        <input
          type="range"
          aria-label="Where in the film"
          min={0}
          max={file.seconds}
          step={0.04}
          value={Math.min(seconds, file.seconds)}
          onChange={(event) => seek(Number(event.target.value))}
        />
        {own.map((each) => (
          <i key={each.id} style={{ left: `${(100 * each.frame) / file.frames}%` }} aria-hidden />
        ))}
      </div>
      <div className="meta">
        <button onClick={() => (isPlaying ? video.current?.pause() : void video.current?.play())}>
          {isPlaying ? 'Pause' : 'Play'}
        </button>
        <span>
          {clock(seconds)} of {clock(file.seconds)}
        </span>
        {file.hasSound && (
          <button onClick={() => setMuted(!isMuted)}>{isMuted ? 'Sound on' : 'Sound off'}</button>
        )}
        {file.blocked.length > 0 && (
          <button onClick={() => setFurniture(!furniture)}>
            {furniture ? 'Hide the place’s buttons' : 'Show the place’s buttons'}
          </button>
        )}
        {page.mayFetch && (
          <a href={fileUrl(secret, file.id, true)} download>
            Keep the film
          </a>
        )}
      </div>
      <div className="said">
        {wrong && <p role="alert">{wrong}</p>}
        {file.changedSince && !file.answer && <p>This is a new film: what you said was of the one before.</p>}
        {file.answer && (
          <p className={file.answer.answer === 'approved' ? 'good' : 'change'}>
            {file.answer.answer === 'approved' ? 'It is good' : 'Something should change'}, says{' '}
            {file.answer.by}. <button onClick={() => say('withdrawn')}>Take that back</button>
          </p>
        )}
        {!file.answer && file.notes.length === 0 && (
          <p className="small">Nothing has been said of this film yet.</p>
        )}
        {file.notes.length > 0 && (
          <ol className="threads" aria-label="Notes">
            {file.notes.map((each, i) => (
              <Thread
                key={each.id}
                item={each}
                number={i + 1}
                file={file}
                onSeek={toFrame}
                onAnswer={(words) =>
                  new Promise((resolve) =>
                    name.withName((by) => {
                      const said = { ...seen, answers: each.id, frame, x: null, y: null, words, by };
                      tell(note(secret, said)).then(resolve, () => undefined);
                    }),
                  )
                }
              />
            ))}
          </ol>
        )}
      </div>
      {name.asking ? (
        <NameSheet onSign={name.sign} onCancel={name.cancel} />
      ) : draft ? (
        <form className="sheet" onSubmit={sendNote} aria-label="A note">
          <p>
            {draft.x === null ? 'Touch the picture where you mean, or just write' : 'Pinned'} · at{' '}
            {clock(secondsOf(draft.frame, file))}
          </p>
          <textarea
            aria-label="What should change?"
            placeholder="What should change?"
            rows={3}
            maxLength={2000}
            value={draft.words}
            onChange={(event) => setDraft({ ...draft, words: event.target.value })}
          />
          <div className="two">
            <button type="button" className="no" onClick={() => setDraft(null)}>
              Back
            </button>
            <button className="yes" disabled={!draft.words.trim()}>
              Send it
            </button>
          </div>
        </form>
      ) : (
        <div className="two answers">
          <button className="no" onClick={startNote}>
            Something should change
          </button>
          <button
            className="yes"
            disabled={file.answer?.answer === 'approved'}
            onClick={() => say('approved')}
          >
            It is good
          </button>
        </div>
      )}
    </main>
  );
}
