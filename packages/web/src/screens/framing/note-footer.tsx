import { useSnackbar } from 'notistack';
import { useRef, useState } from 'react';
import { problemLine, type Clip } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useReadPlan } from '../../api/changes.ts';
import { useKey } from '../../keys/use-key.ts';
import { TextFileInput } from '../../parts/text-file-input.tsx';
import { CarryDialog } from './carry-dialog.tsx';
import { useFraming, useShotEditor } from './framing-session.tsx';
import { joined } from '../../parts/joined.ts';

/** The framing that was copied last, for as long as the page is open: it can be pasted on any shot of any version. */
let copied: Clip | null = null;

/** Copying a shot's framing, pasting it, and carrying it to other versions. */
export function CarrySentence() {
  const { version, unit, editorNow, edit } = useFraming();
  const { enqueueSnackbar } = useSnackbar();
  const [carrying, setCarrying] = useState(false);
  const copy = () => {
    const shot = editorNow();
    copied = shot.clip;
    enqueueSnackbar(`The framing of shot ${shot.unit.shot + 1} is copied.`);
  };
  const paste = () => {
    const clip = copied;
    if (clip) edit((shot) => shot.withClip(clip));
    else enqueueSnackbar('Nothing has been copied yet.', { variant: 'warning' });
  };
  useKey('Framing.copy', copy);
  useKey('Framing.paste', paste);
  return (
    <>
      <h3>Carry over</h3>
      <p>
        <button className="fix" onClick={copy}>
          Copy this shot’s framing
        </button>
        ,{' '}
        <button className="fix" onClick={paste}>
          paste the one copied
        </button>
        , or{' '}
        <button className="fix" onClick={() => setCarrying(true)}>
          carry it to other versions
        </button>
        {joined}.
      </p>
      {carrying && (
        <CarryDialog
          open
          version={version}
          shotAt={unit.from}
          shotName={`shot ${unit.shot + 1}`}
          onClose={() => setCarrying(false)}
        />
      )}
    </>
  );
}

/** The version as a file: written, and read in again. */
export function PlanSentence() {
  const { version } = useFraming();
  const read = useReadPlan();
  const { enqueueSnackbar } = useSnackbar();
  const file = useRef<HTMLInputElement>(null);
  const onText = (fileName: string, text: string) =>
    read.mutate(
      { versionId: version.id, fileName, text },
      {
        onSuccess: (words) => enqueueSnackbar(words.join(' '), { autoHideDuration: 8000 }),
        onError: (error) =>
          enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error', autoHideDuration: 8000 }),
      },
    );
  return (
    <p>
      <a className="fix" href={`/api/versions/${version.id}/plan`} download>
        Save this framing as a file
      </a>
      , or{' '}
      <button className="fix" onClick={() => file.current?.click()}>
        read one
      </button>
      {joined}.
      <TextFileInput ref={file} accept=".json" testId="plan-chooser" onText={onText} />
    </p>
  );
}

/** The windows at the play head as files, for whoever shoots or edits. */
export function GuidesSentence() {
  const { master } = useFraming();
  const { unit, at } = useShotEditor();
  const frame = unit.from + at;
  const address = (file: string) => `/api/masters/${master.id}/guides/${file}?frame=${frame}`;
  return (
    <p>
      Guides for this frame:{' '}
      <a className="fix" href={address('guides.png')} download>
        PNG
      </a>
      ,{' '}
      <a className="fix" href={address('guides.svg')} download>
        SVG
      </a>
      ,{' '}
      <a className="fix" href={address('guides.tsv')} download>
        numbers
      </a>
      {joined}.
    </p>
  );
}
