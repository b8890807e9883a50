import { useState } from 'react';
import { putBack, stretchAt, withUnitMarks, worthALook } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useForgetSubject, useWantLook } from '../../api/changes.ts';
import { Choice } from '../../parts/choice.tsx';
import { FollowDialog } from './follow-dialog.tsx';
import { useFraming } from './framing-session.tsx';
import { LivelyControl } from './lively-control.tsx';
import type { Following } from './use-following.ts';
import { joined } from '../../parts/joined.ts';

const percent = (n: number) => `${Math.floor(n * 100 + 1e-6)} %`;

/** What was seen in the shot, what was chosen by it and why, how well that goes, and everything that overrules it. */
export function SubjectNote() {
  const { master, following } = useFraming();
  const { look, tracks } = following;
  return (
    <section aria-label="Following">
      {(!look || look.state !== 'done') && <LookingSentence master={master} look={look} />}
      {look?.detector.kind === 'missing' && <p className="warn mild">{look.detector.sentence}</p>}
      {look?.shots.length || tracks.length > 0 ? <ChosenSentences /> : null}
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

function ChosenSentences() {
  const { version, master, framing, unit, following, change, drawing, setDrawing } = useFraming();
  const [followingAll, setFollowingAll] = useState(false);
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
        <button className="fix" aria-pressed={drawing} onClick={() => setDrawing(!drawing)}>
          {drawing ? 'Drag a box on the master' : 'Draw another'}
        </button>
      </p>
      <p>
        <button className="fix" onClick={() => run()}>
          {pick ? 'Choose for this shot again' : 'Frame this shot by what is seen'}
        </button>
        , or{' '}
        <button className="fix" onClick={() => setFollowingAll(true)}>
          the whole version, or more
        </button>
        {joined}.
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
      {followingAll && (
        <FollowDialog
          version={version}
          lively={lively}
          onVersion={following.runAll}
          onClose={() => setFollowingAll(false)}
        />
      )}
    </>
  );
}
