import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useRef, useState, type ReactNode } from 'react';
import {
  durationLabel,
  frameToSeconds,
  keptLength,
  paceValue,
  problemLine,
  pace as paceOf,
  usualCeiling,
} from '@mivvy/core';
import type { Cut, Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useReadCut, useRemoveCut, type CutWork } from '../../api/changes.ts';
import { Choice } from '../../parts/choice.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { versionName } from '../../parts/versions.ts';
import { TextFileInput } from '../../parts/text-file-input.tsx';
import { joined } from '../../parts/joined.ts';
import styles from './cut-note.module.css';

/** A typed pace is kept to this many parts of one. */
const paceParts = 10_000;

/** What the cut is, in sentences. */
export function CutSentences({
  master,
  work,
  change,
}: {
  master: Master;
  work: CutWork;
  change: (patch: Partial<CutWork>) => void;
}) {
  const { rate, frames } = master.facts!.video;
  const [naming, setNaming] = useState<string | null>(null);
  const kept = keptLength(work.kept);
  const pace = paceValue(work.pace);
  const faster = pace > 1;
  return (
    <>
      {naming === null ? (
        <p>
          Called{' '}
          <button className="fix" onClick={() => setNaming(work.name)}>
            {work.name}
          </button>
          {joined}.
        </p>
      ) : (
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            if (naming.trim()) change({ name: naming.trim() });
            setNaming(null);
          }}
        >
          <TextField
            label="Name of the cut"
            value={naming}
            autoFocus
            fullWidth
            onFocus={(event) => event.target.select()}
            onChange={(event) => setNaming(event.target.value)}
            onBlur={() => {
              if (naming.trim()) change({ name: naming.trim() });
              setNaming(null);
            }}
          />
        </form>
      )}
      <p>
        Keeps <b>{durationLabel(frameToSeconds(kept, rate))}</b> of{' '}
        {durationLabel(frameToSeconds(frames, rate))},{' '}
        {work.kept.length === 1 ? (
          'in one span'
        ) : (
          <>
            in <b>{work.kept.length}</b> spans
          </>
        )}
        , at a pace of{' '}
        <EditableNumber
          label="Pace"
          value={pace}
          shown={Number(pace.toFixed(4)).toFixed(Number(pace.toFixed(4)) === Number(pace.toFixed(2)) ? 2 : 4)}
          min={1}
          max={2}
          step={0.01}
          unit="times as fast"
          onChange={(v) => change({ pace: paceOf(Math.round(v * paceParts), paceParts) })}
        />
        {faster && (
          <>
            , the pitch kept: <b>{durationLabel(frameToSeconds(kept, rate) / pace)}</b>
          </>
        )}
        .
      </p>
      {pace > usualCeiling + 1e-9 && (
        <p className="warn">
          Above {usualCeiling.toFixed(2)} speech gets hard to follow.{' '}
          <button className="fix" onClick={() => change({ pace: paceOf(11, 10) })}>
            Back to {usualCeiling.toFixed(2)}
          </button>
        </p>
      )}
      {master.facts!.audio && work.kept.length > 1 && (
        <p>
          Sound fades across each join for{' '}
          <EditableNumber
            label="Fade at joins"
            value={work.joinMs}
            shown={work.joinMs === 0 ? 'no time at all' : `${work.joinMs} ms`}
            min={0}
            max={500}
            step={5}
            unit="milliseconds; 0 joins hard"
            onChange={(joinMs) => change({ joinMs })}
          />
          .
        </p>
      )}
    </>
  );
}

/** Cuts in and out as edit lists. */
export function EditLists({
  master,
  versions,
  onMade,
}: {
  master: Master;
  versions: readonly Version[];
  onMade: (cutId: string) => void;
}) {
  const read = useReadCut(master.productionId);
  const { enqueueSnackbar } = useSnackbar();
  const file = useRef<HTMLInputElement>(null);
  const [chosen, setChosen] = useState<string | null>(null);
  const version = versions.find((v) => v.id === chosen) ?? versions[0];
  return (
    <>
      <h2 className="part">Edit lists</h2>
      {version && (
        <p>
          As{' '}
          {versions.length > 1 ? (
            <Choice
              label="Version of the edit list"
              value={version.id}
              shown={versionName(version)}
              options={versions.map((v) => ({ value: v.id, name: versionName(v) }))}
              onChange={setChosen}
            />
          ) : (
            versionName(version)
          )}{' '}
          plays it:{' '}
          <a className="fix" href={`/api/versions/${version.id}/cut-list/cut.edl`} download>
            EDL
          </a>
          ,{' '}
          <a className="fix" href={`/api/versions/${version.id}/cut-list/cut.otio`} download>
            OpenTimelineIO
          </a>
          {joined}.
        </p>
      )}
      <p>
        <button className="fix" disabled={read.isPending} onClick={() => file.current?.click()}>
          Make a cut from an edit list
        </button>
        {joined}.
        <TextFileInput
          ref={file}
          accept=".edl,.otio,.txt,.json"
          testId="cut-chooser"
          onText={(fileName, text) => {
            read.mutate(
              { masterId: master.id, fileName, text },
              {
                onSuccess: ({ cutId, words }) => {
                  enqueueSnackbar(words.join(' '), { autoHideDuration: 9000 });
                  onMade(cutId);
                },
                onError: (error) =>
                  enqueueSnackbar(problemLine(problemOf(error)), {
                    variant: 'error',
                    autoHideDuration: 9000,
                  }),
              },
            );
          }}
        />
      </p>
    </>
  );
}

/** Removes a cut, once that has been asked twice. */
export function RemoveCut({
  cut,
  playing,
  productionId,
  onGone,
}: {
  cut: Cut;
  playing: number;
  productionId: string;
  onGone: () => void;
}): ReactNode {
  const [asked, setAsked] = useState(false);
  const removal = useRemoveCut(productionId);
  const { enqueueSnackbar } = useSnackbar();
  if (!asked)
    return (
      <p>
        <button className="fix" onClick={() => setAsked(true)}>
          Remove this cut
        </button>
      </p>
    );
  return (
    <p className="warn">
      {playing === 0
        ? 'No version plays it.'
        : playing === 1
          ? 'The version that plays it goes back to the full film.'
          : `The ${playing} versions that play it go back to the full film.`}{' '}
      <button
        className="fix"
        disabled={removal.isPending}
        onClick={() =>
          removal.mutate(cut.id, {
            onSuccess: onGone,
            onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
          })
        }
      >
        Remove it
      </button>
      , or{' '}
      <button className="fix" onClick={() => setAsked(false)}>
        keep it
      </button>
      {joined}.
    </p>
  );
}
