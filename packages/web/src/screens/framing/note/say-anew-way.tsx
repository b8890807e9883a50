import TextField from '@mui/material/TextField';
import { useQueryClient } from '@tanstack/react-query';
import { nanoid } from 'nanoid';
import { useSnackbar } from 'notistack';
import { useMemo, useState } from 'react';
import { problemLine, sayAnew, type Keep } from '@mivvy/core';
import { dressingOf, saveDressing } from '../../../api/dressing.ts';
import { problemOf } from '../../../api/client.ts';
import { useLetters } from '../../../letters/letters.ts';
import { Choice } from '../../../parts/choice.tsx';
import { Colour } from '../../../parts/colour.tsx';
import { patchLooks } from '../../../parts/patch-looks.ts';
import { useThisProduction } from '../../../parts/this-production.ts';
import { planAnew } from '../../../parts/versions.ts';
import { useFraming } from '../framing-session.tsx';
import { DressedStill } from './dressed-still.tsx';
import styles from './ways-out.module.css';

/** Longest side of the small proof on the screen, pixels. */
const longest = 210;

/** A way out of a burned-in title that is cut: a patch hides it, and the same words stand in the clear area. */
export function SayAnewWay({ keep, frame, onTaken }: { keep: Keep; frame: number; onTaken: () => void }) {
  const { version, master, framing } = useFraming();
  const { margin } = useThisProduction();
  const [text, setText] = useState(keep.name);
  const [colour, setColour] = useState('#14181c');
  const [soft, setSoft] = useState(true);
  const [id] = useState(() => nanoid(8));
  const letters = useLetters(true).data;
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const dressing = useMemo(
    () => sayAnew(master.dressing, { keep, versionId: version.id, text, colour, soft, id }),
    [master.dressing, keep, version.id, text, colour, soft, id],
  );
  const plan = useMemo(
    () =>
      letters
        ? planAnew({ ...version, framing }, { ...master, dressing }, margin, undefined)?.planned.plan
        : undefined,
    [letters, version, framing, master, dressing, margin],
  );
  const shown = dressing.layers.some(
    (layer) => layer.what.kind === 'patch' && layer.id !== id && layer.what.keepId === keep.id,
  );
  const take = () =>
    void saveDressing(client, dressingOf(master), dressing).then(onTaken, (error: unknown) =>
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    );
  return (
    <li>
      {plan && (
        <DressedStill
          master={master}
          plan={plan}
          frame={frame}
          label="Under a patch, and said anew"
          longest={longest}
        />
      )}
      <p>
        {shown ? (
          'A patch'
        ) : (
          <>
            A patch of{' '}
            <Choice
              label="What the patch shows"
              value={soft ? 'soft' : 'plate'}
              shown={soft ? 'the film around it, softly,' : 'one colour'}
              options={patchLooks}
              onChange={(look) => setSoft(look === 'soft')}
            />
          </>
        )}{' '}
        hides it here, and the same words stand in the clear area.
      </p>
      {shown ? (
        <p className="quiet">As in the version where that was done first.</p>
      ) : (
        <div className={styles.says}>
          <TextField
            label="What it says"
            size="small"
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 300 } }}
          />
          {!soft && <Colour label="Colour of the patch" value={colour} onChange={setColour} />}
        </div>
      )}
      <button className="fix tall" onClick={take}>
        Take it
      </button>
    </li>
  );
}
