import TextField from '@mui/material/TextField';
import { useQueryClient } from '@tanstack/react-query';
import { nanoid } from 'nanoid';
import { useSnackbar } from 'notistack';
import { useMemo, useState } from 'react';
import {
  drawnFrom,
  problemLine,
  saidAgain,
  sayAgain,
  seenLeft,
  type BurnedIn,
  type SeenThing,
  type Trouble,
  type Watchable,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { useDrawTextless } from '../../../api/changes.ts';
import { problemOf } from '../../../api/client.ts';
import { dressingOf, saveDressing, type DressingBase } from '../../../api/dressing.ts';
import { useLetters } from '../../../letters/letters.ts';
import { useThisProduction } from '../../../parts/this-production.ts';
import { drawnMaster, planAnew } from '../../../parts/versions.ts';
import { useFraming } from '../framing-session.tsx';
import { DressedStill } from './dressed-still.tsx';
import styles from './ways-out.module.css';

/** Longest side of the small proof on the screen, pixels. */
const longest = 210;

/** The title that a trouble is about, where a version that is drawn from the textless master would not have it. */
export function titleLeftOut(
  version: Version,
  master: Master,
  trouble: Trouble,
  things: readonly Watchable[],
): BurnedIn | undefined {
  const without = drawnFrom(true, master);
  if (version.textless || without.textless !== 'used') return undefined;
  const keep = master.keeps.find(({ id }) => id === trouble.keepId);
  if (keep) return without.keeps.includes(keep) ? undefined : keep;
  if (trouble.seen?.what !== 'title') return undefined;
  const seen = things.find(({ id }) => id === trouble.seen!.id) as SeenThing | undefined;
  return seen && seenLeft([seen], master.textless!.differs).length === 0 ? seen : undefined;
}

/** A way out of a burned-in title that is cut: the textless master does not have it, and its words stand in the clear area. */
export function TextlessWay({
  title,
  frame,
  onTaken,
}: {
  title: BurnedIn;
  frame: number;
  onTaken: () => void;
}) {
  const { version, master, framing } = useFraming();
  const { margin, textlessMasters } = useThisProduction();
  const letters = useLetters(true).data;
  const known = saidAgain(master.dressing, title);
  const [text, setText] = useState(title.name);
  const [id] = useState(() => nanoid(8));
  const draw = useDrawTextless();
  const client = useQueryClient();
  const { enqueueSnackbar, closeSnackbar } = useSnackbar();
  const dressing = useMemo(
    () => sayAgain(master.dressing, { keep: title, versionId: version.id, text, id }),
    [master.dressing, title, version.id, text, id],
  );
  const textless = useMemo(() => ({ ...version, framing, textless: true }), [version, framing]);
  const plan = useMemo(
    () =>
      letters ? planAnew(textless, { ...master, dressing }, margin, undefined)?.planned.plan : undefined,
    [letters, textless, master, dressing, margin],
  );
  const tell = (error: unknown) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' });
  const take = async () => {
    try {
      await draw.mutateAsync({ versionId: version.id, textless: true });
      const said = await saveDressing(client, dressingOf(master), dressing);
      onTaken();
      enqueueSnackbar('It is drawn from the textless master, and says the same in the clear area.', {
        autoHideDuration: 9000,
        action: (key) => (
          <button
            className="fix tall"
            onClick={() => {
              closeSnackbar(key);
              void takeBack(said);
            }}
          >
            Take both back
          </button>
        ),
      });
    } catch (error) {
      tell(error);
    }
  };
  /** Both changes; where the layers were changed since, whoever did is not overwritten. */
  const takeBack = async (said: DressingBase) => {
    try {
      await saveDressing(client, said, master.dressing);
      await draw.mutateAsync({ versionId: version.id, textless: false });
    } catch (error) {
      tell(error);
    }
  };
  return (
    <li>
      {plan && (
        <DressedStill
          master={drawnMaster(textless, master, textlessMasters)}
          plan={plan}
          frame={frame}
          label="From the textless master, and said again"
          longest={longest}
        />
      )}
      <p>This version is drawn from the textless master, and the same words stand in the clear area.</p>
      {known ? (
        <p className="quiet">They are said as in the version where that was done first.</p>
      ) : (
        <div className={styles.says}>
          <TextField
            label="What is said again"
            size="small"
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 300 } }}
          />
        </div>
      )}
      <button className="fix tall" disabled={draw.isPending} onClick={() => void take()}>
        Take it
      </button>
    </li>
  );
}
