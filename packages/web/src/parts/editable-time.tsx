import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { frameToTimecode, parseTimecode, type Rate } from '@mivvy/core';
import styles from './editable-time.module.css';

/** A time inside a sentence that can be typed over where it stands: timecode at the film's rate, or seconds as `5.4s`. */
export function EditableTime({
  label,
  frame,
  rate,
  min,
  max,
  shown,
  className = 'fix mono',
  onChange,
}: {
  label: string;
  /** The frame that it is now, and the first and last that it may be. */
  frame: number;
  rate: Rate;
  min: number;
  max: number;
  shown?: ReactNode;
  className?: string;
  onChange: (frame: number) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [text, setText] = useState('');
  const read = parseTimecode(text, rate);
  const inside = read.ok && read.value >= min && read.value <= max;
  const help =
    read.ok || text.trim() === ''
      ? `${frameToTimecode(min, rate)} to ${frameToTimecode(max, rate)}, or seconds as 5.4s`
      : `${read.problem.sentence} ${read.problem.mend}`;
  return (
    <>
      <button
        className={className}
        aria-label={`${label}: change`}
        onClick={(event) => {
          setText(frameToTimecode(frame, rate));
          setAnchor(event.currentTarget);
        }}
      >
        {shown ?? frameToTimecode(frame, rate)}
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            if (inside) {
              onChange(read.value);
              setAnchor(null);
            }
          }}
        >
          <TextField
            label={label}
            value={text}
            autoFocus
            fullWidth
            error={!inside}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setText(event.target.value)}
            helperText={help}
            slotProps={{ htmlInput: { className: 'mono' } }}
          />
        </form>
      </Popover>
    </>
  );
}
