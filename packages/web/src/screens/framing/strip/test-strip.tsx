import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import LinearProgress from '@mui/material/LinearProgress';
import { useState } from 'react';
import { frameToTimecode, type RenderPlan } from '@mivvy/core';
import type { StripAsked, Version } from '@mivvy/api';
import { useMakeStrip, useSharpen } from '../../../api/changes.ts';
import { problemOf } from '../../../api/client.ts';
import { usePreferences } from '../../../api/queries.ts';
import { EffortChoice } from '../../../parts/effort-choice.tsx';
import { ProblemNote } from '../../../parts/notices.tsx';
import { SharpenChoice } from '../../../parts/sharpen-choice.tsx';
import { versionName } from '../../../parts/versions.ts';
import { StripFilms } from './strip-films.tsx';
import styles from './strip.module.css';

type Way = StripAsked['ways'][number];

/** One way of making the strip, as a sentence. */
function WaySentence({ name, way, onChange }: { name: string; way: Way; onChange: (way: Way) => void }) {
  return (
    <>
      encoded{' '}
      <EffortChoice
        label={`${name}, effort`}
        value={way.effort}
        onChange={(effort) => onChange({ ...way, effort })}
      />{' '}
      and{' '}
      <SharpenChoice
        label={`${name}, sharpening`}
        value={way.sharpen}
        onChange={(sharpen) => onChange({ ...way, sharpen })}
      />
    </>
  );
}

/** Five seconds of a version encoded in one or two ways, and looked at beside the picture as it is drawn. */
export function TestStrip({
  version,
  plan,
  from,
  onClose,
}: {
  version: Version;
  plan: RenderPlan;
  /** The delivered frame that it starts at. */
  from: number;
  onClose: () => void;
}) {
  const effort = usePreferences().data?.effort ?? 'usual';
  const [first, setFirst] = useState<Way>({ effort, sharpen: version.sharpen });
  const [second, setSecond] = useState<Way | null>(null);
  const make = useMakeStrip();
  const keep = useSharpen();
  const ways = second ? [first, second] : [first];
  const other: Way = { effort, sharpen: first.sharpen === null ? 0.35 : null };
  return (
    <Dialog open onClose={onClose} maxWidth="lg" fullWidth aria-labelledby="strip-title">
      <DialogContent>
        <h2 id="strip-title" className={styles.title}>
          A test strip of {versionName(version)}
        </h2>
        <p>
          Five seconds from <span className="mono">{frameToTimecode(from, plan.rate)}</span>,{' '}
          <WaySentence name="First" way={first} onChange={setFirst} />
          {second ? (
            <>
              ; and again, <WaySentence name="Second" way={second} onChange={setSecond} />,{' '}
              <button className="fix" onClick={() => setSecond(null)}>
                or only once
              </button>
            </>
          ) : (
            <>
              ;{' '}
              <button className="fix" onClick={() => setSecond(other)}>
                and in another way
              </button>
            </>
          )}
          . It is not kept.
        </p>
        {make.isPending && (
          <div role="status">
            <p className="quiet">Encoding the strip …</p>
            <LinearProgress aria-label="Encoding the strip" />
          </div>
        )}
        {make.isError && <ProblemNote problem={problemOf(make.error)} />}
        {make.data && !make.isPending && (
          <StripFilms
            strip={make.data}
            onKeep={(sharpen) => keep.mutate({ versionId: version.id, sharpen }, { onSuccess: onClose })}
          />
        )}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Close</Button>
        <Button
          variant="contained"
          disabled={make.isPending}
          onClick={() => make.mutate({ versionId: version.id, from, ways })}
        >
          {make.data ? 'Make it again' : 'Make the strip'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
