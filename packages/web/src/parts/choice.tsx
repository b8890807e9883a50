import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useState, type ReactNode } from 'react';
import { joined } from './joined.ts';
import styles from './choice.module.css';

interface Option<T extends string> {
  value: T;
  /** As it stands in the menu. */
  name: string;
  /** A few more words under it. */
  more?: string;
}

/** A part of a sentence that can be changed where it stands, out of a few. */
export function Choice<T extends string>({
  label,
  value,
  shown,
  options,
  onChange,
}: {
  label: string;
  value: T;
  shown: ReactNode;
  options: readonly Option<T>[];
  onChange: (value: T) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <button
        className="fix"
        aria-label={`${label}: change`}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {shown}
      </button>
      {joined}
      <Menu
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        slotProps={{ list: { 'aria-label': label } }}
      >
        {options.map((o) => (
          <MenuItem
            key={o.value}
            selected={o.value === value}
            sx={{ fontSize: 13, minHeight: 36, maxWidth: 340, whiteSpace: 'normal' }}
            onClick={() => {
              setAnchor(null);
              if (o.value !== value) onChange(o.value);
            }}
          >
            <span>
              {o.name}
              {o.more && <span className={`quiet ${styles.note}`}>{o.more}</span>}
            </span>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
