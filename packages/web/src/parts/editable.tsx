import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { joined } from './joined.ts';
import styles from './editable.module.css';

/** A number inside a sentence that can be changed where it stands. */
export function EditableNumber({
  label,
  value,
  shown,
  min,
  max,
  step = 1,
  unit,
  onChange,
}: {
  label: string;
  value: number;
  shown: ReactNode;
  min: number;
  max: number;
  step?: number;
  unit: string;
  onChange: (value: number) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [text, setText] = useState('');
  const number = Number(text.replace(',', '.'));
  const wrong = text.trim() === '' || !Number.isFinite(number) || number < min - 1e-9 || number > max + 1e-9;
  const round = (n: number) => Number(n.toFixed(3));
  const close = () => setAnchor(null);
  return (
    <>
      <button
        className="fix"
        aria-label={`${label}: change`}
        onClick={(event) => {
          setText(String(round(value)));
          setAnchor(event.currentTarget);
        }}
      >
        {shown}
      </button>
      {joined}
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={close}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            if (!wrong) {
              onChange(number);
              close();
            }
          }}
        >
          <TextField
            label={label}
            value={text}
            autoFocus
            fullWidth
            error={wrong}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setText(event.target.value)}
            helperText={`${round(min)} to ${round(max)} ${unit}`}
            slotProps={{ htmlInput: { inputMode: 'decimal', step } }}
          />
        </form>
      </Popover>
    </>
  );
}
