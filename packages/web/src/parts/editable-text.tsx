import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { joined } from './joined.ts';
import styles from './editable-text.module.css';

/** Words inside a sentence that can be typed over where they stand. */
export function EditableText({
  label,
  value,
  shown,
  hint,
  wrong,
  onChange,
}: {
  label: string;
  value: string;
  shown: ReactNode;
  /** How it is written, where that is not plain. */
  hint?: string;
  /** What is wrong with a text; undefined where nothing is. */
  wrong?: (text: string) => string | undefined;
  onChange: (text: string) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [text, setText] = useState('');
  const fault = wrong?.(text);
  return (
    <>
      <button
        type="button"
        className="fix"
        aria-label={`${label}: change`}
        onClick={(event) => {
          setText(value);
          setAnchor(event.currentTarget);
        }}
      >
        {shown}
      </button>
      {joined}
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
            if (fault !== undefined) return;
            onChange(text.trim());
            setAnchor(null);
          }}
        >
          <TextField
            label={label}
            value={text}
            autoFocus
            fullWidth
            error={fault !== undefined}
            helperText={fault ?? hint ?? ' '}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setText(event.target.value)}
          />
        </form>
      </Popover>
    </>
  );
}

/** A number inside a sentence that may be missing: an emptied field means that nothing is asked. */
export function OptionalNumber({
  label,
  value,
  shown,
  min,
  max,
  unit,
  whole = false,
  onChange,
}: {
  label: string;
  value: number | undefined;
  shown: ReactNode;
  min: number;
  max: number;
  unit: string;
  whole?: boolean;
  onChange: (value: number | undefined) => void;
}) {
  const read = (text: string) => Number(text.trim().replace(',', '.'));
  return (
    <EditableText
      label={label}
      value={value === undefined ? '' : String(value)}
      shown={shown}
      hint={`${min} to ${max} ${unit}; empty: no rule`}
      wrong={(text) => {
        if (text.trim() === '') return undefined;
        const number = read(text);
        if (!Number.isFinite(number) || number < min || number > max) return `${min} to ${max} ${unit}`;
        return whole && !Number.isInteger(number) ? 'a whole number' : undefined;
      }}
      onChange={(text) => onChange(text === '' ? undefined : read(text))}
    />
  );
}
