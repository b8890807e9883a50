import { useSnackbar } from 'notistack';
import { nanoid } from 'nanoid';
import { useRef, useState } from 'react';
import {
  countWords,
  frameToSeconds,
  listWords,
  nearestFrame,
  problemLine,
  shiftCues,
  stretchCues,
  usualReading,
  writeCaptions,
  type CaptionFormat,
} from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../../api/client.ts';
import { useReadCaptions } from '../../../api/dressing.ts';
import { Choice } from '../../../parts/choice.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { EditableText } from '../../../parts/editable-text.tsx';
import { EditableTime } from '../../../parts/editable-time.tsx';
import { UndoButtons } from '../../../parts/undo-buttons.tsx';
import styles from '../layers.module.css';
import { useLayers } from '../layers-session.tsx';
import { ScriptDialog } from './script-dialog.tsx';
import { useTrack } from './track.ts';

const tagPattern = /^([A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*)?$/;

/** What a language is called, in English; the tag itself where it is not known. */
function languageName(tag: string): string {
  if (!tag) return 'in no stated language';
  try {
    return `in ${new Intl.DisplayNames('en', { type: 'language' }).of(tag) ?? tag}`;
  } catch {
    return `in ${tag}`;
  }
}

/** Gives a text as a file to keep. */
function give(name: string, text: string): void {
  const url = URL.createObjectURL(new Blob([text], { type: 'text/plain' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Which versions ask for captions, and how, in words. */
function askedWords(versions: readonly Version[]): string {
  const ask = (how: string) => versions.filter((v) => v.placement?.captions === how).map((v) => v.tag);
  const [drawn, beside] = [ask('burned'), ask('sidecar')];
  const parts = [
    drawn.length ? `${listWords(drawn)}, drawn in` : '',
    beside.length ? `${listWords(beside)}, beside the film` : '',
  ].filter(Boolean);
  return parts.length
    ? `Asked for by ${parts.join('; by ')}.`
    : 'None of these places asks for captions; say in the spec book that one does.';
}

/** Which captions these are, where they come from and go to, and what is done to all of them. */
export function TrackHead({ onAdd }: { onAdd: () => void }) {
  const { dressing, change, chooseTrack, master, siblings, step, saving } = useLayers();
  const [track, setCues] = useTrack();
  const { enqueueSnackbar } = useSnackbar();
  const files = useRef<HTMLInputElement>(null);
  const [script, setScript] = useState(false);
  const read = useReadCaptions();
  const reading = dressing.reading ?? usualReading;
  const { rate, frames } = master.facts!.video;
  const [first, last] = [track?.cues[0], track?.cues.at(-1)];
  const takeFile = (file: File) =>
    read.mutate(file, {
      onSuccess: ({ cues, words }) => {
        setCues(() => cues);
        enqueueSnackbar([`${file.name}: ${countWords(cues.length, 'cue')} taken.`, ...words].join(' '), {
          variant: words.length ? 'warning' : 'default',
          autoHideDuration: words.length ? 12_000 : 5000,
        });
      },
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    });
  const addLanguage = () => {
    const id = nanoid(8);
    change((now) => ({ ...now, captions: [...now.captions, { id, language: '', cues: [] }] }));
    chooseTrack(id);
  };
  const setLanguage = (language: string) =>
    change((now) => ({
      ...now,
      captions: now.captions.map((t) => (t.id === track?.id ? { ...t, language } : t)),
    }));
  const write = (format: CaptionFormat) =>
    track &&
    give(
      `${master.name.replace(/\.[^.]*$/, '')}${track.language && `.${track.language}`}.${format}`,
      writeCaptions(track.cues, format),
    );
  return (
    <>
      <div className={styles.head}>
        <h2>The words that are read</h2>
        <UndoButtons
          undo={master.canDress.undo || saving !== 'saved'}
          redo={master.canDress.redo}
          onStep={(direction) => void step(direction)}
        />
      </div>
      <p className={styles.track}>
        {track ? (
          <>
            {countWords(track.cues.length, 'cue')}{' '}
            {dressing.captions.length > 1 ? (
              <Choice
                label="Captions at hand"
                value={track.id}
                shown={languageName(track.language)}
                options={dressing.captions.map((t) => ({ value: t.id, name: languageName(t.language) }))}
                onChange={chooseTrack}
              />
            ) : (
              languageName(track.language)
            )}{' '}
            (
            <EditableText
              label="Language"
              value={track.language}
              shown={track.language || 'say which'}
              hint="en, de or pt-BR; empty where it does not matter"
              wrong={(text) =>
                tagPattern.test(text.trim()) ? undefined : 'a language is written en or pt-BR'
              }
              onChange={setLanguage}
            />
            ).{' '}
            {first && last && (
              <>
                All of them{' '}
                <EditableNumber
                  label="Shift all by"
                  value={0}
                  shown="later or earlier"
                  min={-frameToSeconds(frames, rate)}
                  max={frameToSeconds(frames, rate)}
                  unit="seconds; below zero for earlier"
                  onChange={(by) => setCues((now) => shiftCues(now, by))}
                />
                , or the last ends at{' '}
                <EditableTime
                  label="The last ends at"
                  frame={nearestFrame(last.to, rate)}
                  rate={rate}
                  min={nearestFrame(first.from, rate) + 1}
                  max={frames}
                  onChange={(frame) => setCues((now) => stretchCues(now, frameToSeconds(frame, rate)))}
                />
                .
              </>
            )}
          </>
        ) : (
          <>There are no captions yet.</>
        )}{' '}
        Read at most{' '}
        <EditableNumber
          label="Reading speed"
          value={reading.speed}
          shown={`${reading.speed} characters a second`}
          min={5}
          max={60}
          unit="characters a second"
          onChange={(speed) => change((now) => ({ ...now, reading: { ...reading, speed } }))}
        />
        , each for{' '}
        <EditableNumber
          label="Shortest cue"
          value={reading.shortest}
          shown={`${Number(reading.shortest.toFixed(2))} s`}
          min={0.2}
          max={5}
          unit="seconds"
          onChange={(shortest) => change((now) => ({ ...now, reading: { ...reading, shortest } }))}
        />{' '}
        or more. {askedWords(siblings)}
      </p>
      <p className={styles.tools}>
        <button className="fix" onClick={() => files.current?.click()}>
          Bring in a file
        </button>
        <button className="fix" onClick={() => setScript(true)}>
          Lay a script along the speech
        </button>
        <button className="fix" onClick={onAdd}>
          A cue here
        </button>
        {track && (
          <>
            <button className="fix" onClick={addLanguage}>
              Another language
            </button>
            <button className="fix" onClick={() => write('srt')}>
              Keep as SubRip
            </button>
            <button className="fix" onClick={() => write('vtt')}>
              as WebVTT
            </button>
            <button
              className="fix"
              onClick={() =>
                change((now) => ({ ...now, captions: now.captions.filter((t) => t.id !== track.id) }))
              }
            >
              Remove all
            </button>
          </>
        )}
      </p>
      <input
        ref={files}
        type="file"
        hidden
        accept=".srt,.vtt,.txt"
        data-testid="captions-chooser"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) takeFile(file);
          event.target.value = '';
        }}
      />
      {script && <ScriptDialog onClose={() => setScript(false)} />}
    </>
  );
}
