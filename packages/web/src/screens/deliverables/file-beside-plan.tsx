import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import Slider from '@mui/material/Slider';
import { useState } from 'react';
import { frameToTimecode, type CheckLine, type Rate } from '@mivvy/core';
import type { Deliverable } from '@mivvy/api';
import styles from './file-beside-plan.module.css';

const pictures = [
  { which: 'file', name: 'In the file' },
  { which: 'planned', name: 'As it was planned' },
] as const;

/** One of the two pictures; what stops it from being drawn is said in its place. */
function Picture({
  file,
  frame,
  which,
  name,
}: { file: Deliverable; frame: number } & (typeof pictures)[number]) {
  const [failed, setFailed] = useState(false);
  return (
    <figure className={styles.picture}>
      {failed ? (
        <p className="warn">
          {which === 'file'
            ? 'This picture could not be drawn. The file may have fewer, or not be on the disk as it was made.'
            : 'This picture could not be drawn. The film may have been replaced since, or not be where it was.'}
        </p>
      ) : (
        <img
          src={`/api/deliverables/${file.id}/frames/${frame}/${which}`}
          alt={name}
          onError={() => setFailed(true)}
        />
      )}
      <figcaption className="quiet">{name}</figcaption>
    </figure>
  );
}

/** A frame of a finished file beside the same frame as its plan draws it, frame by frame, and finding by finding. */
export function FileBesidePlan({
  file,
  checks,
  frames,
  rate,
  at,
  onClose,
}: {
  file: Deliverable;
  checks: readonly CheckLine[];
  frames: number;
  rate: Rate;
  /** The frame that is shown first. */
  at: number;
  onClose: () => void;
}) {
  const last = frames - 1;
  const clamped = (frame: number) => Math.max(0, Math.min(last, frame));
  const [frame, setFrame] = useState(clamped(at));
  /** Where the slider stands while it is dragged: pictures are drawn when it is let go. */
  const [held, setHeld] = useState<number | null>(null);
  const step = (by: number) => setFrame(clamped(frame + by));
  const found = checks.filter((line) => !line.ok && line.spans?.length);
  return (
    <Dialog
      open
      onClose={onClose}
      maxWidth="lg"
      fullWidth
      aria-labelledby="beside-title"
      onKeyDown={(event) => {
        if ((event.target as HTMLElement).role === 'slider' || event.target instanceof HTMLInputElement)
          return;
        if (event.key === 'ArrowLeft') step(-1);
        if (event.key === 'ArrowRight') step(1);
      }}
    >
      <DialogContent>
        <h2 id="beside-title" className={styles.title}>
          The file at <span className="mono">{frameToTimecode(held ?? frame, rate)}</span>
        </h2>
        <div className={styles.pictures}>
          {pictures.map((picture) => (
            <Picture key={`${picture.which} ${frame}`} file={file} frame={frame} {...picture} />
          ))}
        </div>
        <div className={styles.head}>
          <Button onClick={() => step(-1)} disabled={frame === 0}>
            One back
          </Button>
          <Slider
            size="small"
            min={0}
            max={Math.max(1, last)}
            value={held ?? frame}
            aria-label="Frame of the file"
            onChange={(_event, value) => setHeld(value)}
            onChangeCommitted={(_event, value) => {
              setHeld(null);
              setFrame(clamped(value));
            }}
          />
          <Button onClick={() => step(1)} disabled={frame === last}>
            One on
          </Button>
        </div>
        {found.length > 0 && (
          <ul className={styles.found}>
            {found.flatMap((line) =>
              line.spans!.slice(0, 12).map((span) => (
                <li key={`${line.id} ${span.from}`}>
                  <button className="fix" onClick={() => setFrame(clamped(span.from))}>
                    {line.name} at {frameToTimecode(clamped(span.from), rate)}
                  </button>
                </li>
              )),
            )}
          </ul>
        )}
      </DialogContent>
      <DialogActions>
        <Button
          href={`/api/deliverables/${file.id}/file?inline=1#t=${((frame * rate.den) / rate.num).toFixed(3)}`}
          target="_blank"
        >
          Play the file from here
        </Button>
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
