import Slider from '@mui/material/Slider';
import { useState } from 'react';
import { livelyWords, putBack, stretchAt, withUnitMarks, worthALook, type Framing } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { useForgetSubject, useWantLook } from '../../api/queries.ts';
import { Choice } from '../../parts/choice.tsx';
import type { ShotEditor } from './shot-editor.ts';
import type { Following } from './use-following.ts';

interface SubjectProps {
  version: Version;
  master: Master;
  framing: Framing;
  hand: ShotEditor;
  following: Following;
  change: (framing: Framing) => void;
  drawing: boolean;
  onDraw: () => void;
  onFollowAll: () => void;
}

const percent = (n: number) => `${Math.floor(n * 100 + 1e-6)} %`;

/** What was seen in the shot, what was chosen by it and why, how well that goes, and everything that overrules it. */
export function SubjectNote(props: SubjectProps) {
  const { look, tracks } = props.following;
  return (
    <section aria-label="Following">
      {(!look || look.state !== 'done') && <LookingSentence master={props.master} look={look} />}
      {look?.detector.kind === 'missing' && <p className="warn mild">{look.detector.sentence}</p>}
      {look?.shots.length || tracks.length > 0 ? <ChosenSentences {...props} /> : null}
    </section>
  );
}

function LookingSentence({ master, look }: { master: Master; look: Following['look'] }) {
  const want = useWantLook();
  if (!look) return <p className="quiet">Asking what was seen in this film.</p>;
  if (look.state === 'waiting' || look.state === 'looking')
    return (
      <p className="quiet" role="status">
        Looking for subjects: {look.looked} of {look.of} shots. Those that are done can be framed already.
      </p>
    );
  return (
    <p>
      {look.state === 'failed'
        ? 'Looking at this film stopped.'
        : 'This film has not been looked at for subjects.'}{' '}
      <button className="fix" disabled={want.isPending} onClick={() => want.mutate(master.id)}>
        Look at it
      </button>
    </p>
  );
}

function ChosenSentences({
  master,
  framing,
  hand,
  following,
  change,
  drawing,
  onDraw,
  onFollowAll,
}: SubjectProps) {
  const { unit } = hand;
  const { tracks, subject, judgement, lively, run } = following;
  const { frames } = master.facts!.video;
  const stretch = stretchAt(framing, unit.from);
  const { pick } = stretch;
  const forget = useForgetSubject(master.id);
  const options = [
    ...tracks.map((t) => ({
      value: t.id,
      name: t.name,
      ...(t.kind === 'drawn' ? { more: 'drawn by hand' } : {}),
    })),
    { value: '', name: 'nothing', more: 'hold the middle, or the keeps' },
  ];
  const mark = (marks: { seen?: boolean; locked?: boolean }) =>
    change(withUnitMarks(framing, unit, frames, marks));
  const nothing = tracks.length === 0;
  return (
    <>
      {pick && (
        <div
          className={`chosen-note ${judgement && judgement.figure < worthALook && !pick.seen ? 'ochre' : ''}`}
        >
          <p data-testid="why">{pick.sentence}</p>
          {judgement && (
            <p className="figures" data-testid="figures">
              <b className="mono">{judgement.figure}</b> of 100: whole inside {percent(judgement.inside)},
              clear {percent(judgement.clear)}, sure {percent(judgement.sure)},{' '}
              {judgement.rms < 0.005
                ? 'no acceleration'
                : `acceleration ${judgement.rms.toFixed(2)} (peak ${judgement.peak.toFixed(2)}) frame widths/s²`}
              .{judgement.words.length > 0 && <> Worth knowing: {judgement.words.join('; ')}.</>}
              {pick.seen && <> Looked at and found good.</>}
            </p>
          )}
        </div>
      )}
      <p>
        {pick ? (
          <>
            It goes by{' '}
            <Choice
              label="Subject"
              value={pick.subject?.id ?? ''}
              shown={subject ? `the ${subject.name}` : pick.subject ? `the ${pick.subject.name}` : 'nothing'}
              options={options}
              onChange={(id) => run({ subject: id || null })}
            />
            {subject?.kind === 'drawn' && (
              <>
                {' '}
                (
                <button
                  className="fix"
                  onClick={() => {
                    run({ subject: null });
                    forget.mutate(subject.id);
                  }}
                >
                  forget it
                </button>
                )
              </>
            )}
            .
          </>
        ) : nothing ? (
          'Nothing stands out in this shot.'
        ) : (
          <>
            Seen here:{' '}
            {tracks.slice(0, 4).map((t, i) => (
              <span key={t.id}>
                {i > 0 && ', '}
                <button className="fix" onClick={() => run({ subject: t.id })}>
                  {t.name}
                </button>
              </span>
            ))}
            {tracks.length > 4 && ` and ${tracks.length - 4} more`}.
          </>
        )}{' '}
        <button className="fix" aria-pressed={drawing} onClick={onDraw}>
          {drawing ? 'Drag a box on the master' : 'Draw another'}
        </button>
      </p>
      <p>
        <button className="fix" onClick={() => run()}>
          {pick ? 'Choose for this shot again' : 'Frame this shot by what is seen'}
        </button>
        , or{' '}
        <button className="fix" onClick={onFollowAll}>
          the whole version, or more
        </button>
        .
      </p>
      {pick && <LivelyControl value={lively} onChange={(value) => run({ lively: value })} />}
      <p>
        {stretch.locked ? (
          <>
            This shot is <b>locked</b>: choosing leaves it alone.{' '}
            <button className="fix" onClick={() => mark({ locked: false })}>
              Unlock it
            </button>
          </>
        ) : (
          <button className="fix" onClick={() => mark({ locked: true })}>
            Lock this shot
          </button>
        )}
        {pick?.before && (
          <>
            {' · '}
            <button className="fix" onClick={() => change(putBack(framing, unit, frames))}>
              Put back what was there before
            </button>
          </>
        )}
      </p>
    </>
  );
}

/** Calm to lively, with the limits that it stands for. */
export function LivelyControl({ value, onChange }: { value: number; onChange: (value: number) => void }) {
  const [live, setLive] = useState<number | null>(null);
  const shown = live ?? value;
  return (
    <div className="lively">
      <span className="quiet">calm</span>
      <Slider
        size="small"
        aria-label="How lively"
        min={0}
        max={1}
        step={0.05}
        value={shown}
        onChange={(_e, v) => setLive(v)}
        onChangeCommitted={(_e, v) => {
          setLive(null);
          onChange(v);
        }}
      />
      <span className="quiet">lively</span>
      <p className="quiet">{livelyWords(shown)}.</p>
    </div>
  );
}
