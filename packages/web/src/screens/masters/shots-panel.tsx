import { useSnackbar } from 'notistack';
import { useMemo, useRef } from 'react';
import { useKey } from '../../keys/use-key.ts';
import {
  addShotBoundary,
  freeSetup,
  moveShotBoundary,
  oneShot,
  problemLine,
  removeShotBoundary,
  shotIndexAt,
  shotSpans,
  spanLength,
  withSetup,
  type Shot,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useMasterWork } from '../../api/changes.ts';
import { Choice } from '../../parts/choice.tsx';
import { EditableTime } from '../../parts/editable-time.tsx';
import { useDesk, usePanelFrame } from '../../play/use-desk.tsx';
import { UndoWords } from '../../parts/undo-buttons.tsx';
import { TextFileInput } from '../../parts/text-file-input.tsx';
import { joined } from '../../parts/joined.ts';

/** Changes a master's shots and keeps, and says what went wrong. */
export function useWork(master: Master) {
  const work = useMasterWork(master.id);
  const { enqueueSnackbar } = useSnackbar();
  const run = (change: Parameters<typeof work.mutate>[0]) =>
    work.mutate(change, {
      onSuccess: (words) => words.length && enqueueSnackbar(words.join(' '), { autoHideDuration: 9000 }),
      onError: (error) =>
        enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error', autoHideDuration: 8000 }),
    });
  return { run, busy: work.isPending };
}

/** The shots of a film: where they start, which camera they are from; cut, joined, moved and read from an edit list. */
export function ShotsPanel({ master }: { master: Master }) {
  const desk = useDesk();
  const { run, busy } = useWork(master);
  const file = useRef<HTMLInputElement>(null);
  const { frames, rate } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const at = usePanelFrame(spans, frames);
  const index = shotIndexAt(shots, at);
  const shot = shots[index]!;
  const span = spans[index]!;
  const cameras = [...new Set(shots.map((s) => s.setup))];
  const save = (next: Shot[], movedCut?: { from: number; to: number }) =>
    run({ kind: 'work', revision: master.revision, shots: next, ...(movedCut ? { movedCut } : {}) });
  const move = (to: number) => {
    const next = moveShotBoundary(shots, index, to, frames);
    save(next, { from: shot.from, to: next[index]!.from });
    desk.seek(next[index]!.from);
  };
  const cut = () => {
    // Where the head stands now, also while the film plays.
    const here = Math.min(desk.snapshot().frame, frames - 1);
    if (!shots.some((s) => s.from === here)) save(addShotBoundary(shots, here));
  };
  const goShot = (by: number) => {
    desk.pause();
    desk.seek(shots[Math.max(0, Math.min(shots.length - 1, index + by))]!.from);
  };
  useKey('Master.cutHere', cut);
  useKey('Master.remove', () => index > 0 && save(removeShotBoundary(shots, index)));
  useKey('Everywhere.shotAfter', () => goShot(1));
  useKey('Everywhere.shotBefore', () => goShot(-1));
  useKey('Everywhere.undo', () => run({ kind: 'undo' }));
  useKey('Everywhere.redo', () => run({ kind: 'redo' }));
  const join = shot.join && `, by a ${shot.join.kind} of ${spanLength(shot.join.span)} frames`;
  return (
    <div className="panel">
      {master.shots === null ? (
        <p className="quiet">The film is being looked at for its cuts.</p>
      ) : (
        <p>
          <b>{shots.length === 1 ? 'One shot' : `${shots.length} shots`}</b> from{' '}
          <b>{cameras.length === 1 ? 'one camera' : `${cameras.length} cameras`}</b>.{' '}
          <button className="fix" disabled={busy} onClick={() => run({ kind: 'setups' })}>
            Group them anew
          </button>{' '}
          by how they look.
        </p>
      )}
      <p>
        <b>Shot {index + 1}</b> starts at{' '}
        {index === 0 ? (
          <b>the film’s start</b>
        ) : (
          <EditableTime
            label="Start of the shot"
            frame={shot.from}
            rate={rate}
            min={shots[index - 1]!.from + 1}
            max={(shots[index + 1]?.from ?? frames) - 1}
            onChange={move}
          />
        )}
        {join}, runs {spanLength(span)} frames, and is from{' '}
        <Choice
          label="Camera"
          value={shot.setup}
          shown={`camera ${shot.setup}`}
          options={[
            ...cameras.map((c) => ({ value: c, name: `camera ${c}` })),
            { value: freeSetup(shots), name: 'a camera of its own' },
          ]}
          onChange={(setup) => save(withSetup(shots, index, setup))}
        />
        .
      </p>
      <p>
        <button className="fix tall" disabled={busy || at === shot.from} onClick={() => void cut()}>
          Cut here
        </button>
        {' · '}
        <button
          className="fix tall"
          disabled={busy || index === 0}
          onClick={() => save(removeShotBoundary(shots, index))}
        >
          Join it to the one before
        </button>
      </p>
      <p>
        {index > 0 && (
          <>
            Start it{' '}
            <button className="fix tall" disabled={busy} onClick={() => move(shot.from - 1)}>
              a frame earlier
            </button>{' '}
            or{' '}
            <button className="fix tall" disabled={busy} onClick={() => move(shot.from + 1)}>
              a frame later
            </button>
            {joined}.{' '}
          </>
        )}
        <UndoWords
          undo={!busy && master.can.undo}
          redo={!busy && master.can.redo}
          onStep={(kind) => run({ kind })}
        />
      </p>
      <p>
        <button className="fix tall" disabled={busy} onClick={() => file.current?.click()}>
          Read the cuts from an edit list
        </button>{' '}
        (EDL or OpenTimelineIO).
        <TextFileInput
          ref={file}
          accept=".edl,.otio,.txt,.json"
          testId="cut-list-chooser"
          onText={(fileName, text) => run({ kind: 'cut-list', fileName, text })}
        />
      </p>
    </div>
  );
}
