import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import Autocomplete from '@mui/material/Autocomplete';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Placement } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useAddPlacement } from '../../api/spec-book.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { useWho } from '../../parts/who.ts';
import styles from './spec-book.module.css';

/** The longest id, letters; a number is put after it where it is taken. */
const longestId = 56;

/** An id from a name; names of other scripts leave nothing, and their ids are counted. */
function freeId(wanted: string, taken: ReadonlySet<string>): string {
  const letters = wanted.normalize('NFKD').toLowerCase().replace(/\p{M}/gu, '');
  const base =
    letters
      .replace(/[^a-z0-9]+/g, '-')
      .slice(0, longestId)
      .replace(/^-|-$/g, '') || 'place';
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}-${n}`;
    if (!taken.has(id)) return id;
  }
}

/** Makes a placement like another, for an outlet that is there or a new one. */
export function NewPlacement({
  like,
  outlets,
  outletName,
  taken,
  onClose,
}: {
  like: Placement;
  outlets: readonly { id: string; name: string }[];
  outletName: string;
  taken: ReadonlySet<string>;
  onClose: () => void;
}) {
  const [outlet, setOutlet] = useState(outletName);
  const [name, setName] = useState('');
  const [who] = useWho();
  const add = useAddPlacement();
  const navigate = useNavigate();
  const isReady = outlet.trim() !== '' && name.trim() !== '';
  const save = () => {
    const known = outlets.find((o) => o.name === outlet.trim());
    const outletIds = new Set(outlets.map((o) => o.id));
    const { source: _source, verifiedOn: _verifiedOn, ...rules } = like;
    const placement = { ...rules, id: freeId(`${outlet} ${name}`, taken), name: name.trim() } as Placement;
    add.mutate(
      {
        outlet: known ?? { id: freeId(outlet, outletIds), name: outlet.trim() },
        placement,
        by: who,
        reason: `Made like ${outletName}, ${like.name}.`,
      },
      {
        onSuccess: () => {
          onClose();
          void navigate(`/spec-book/${placement.id}`);
        },
      },
    );
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="new-place">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (isReady) save();
        }}
      >
        <DialogContent className={styles.take}>
          <h2 id="new-place">A placement like {like.name}</h2>
          <p className="quiet">It begins with the same numbers; they are changed on its page.</p>
          <Autocomplete
            freeSolo
            options={outlets.map((o) => o.name)}
            inputValue={outlet}
            onInputChange={(_event, text) => setOutlet(text)}
            renderInput={(params) => <TextField {...params} label="Outlet, there already or new" />}
          />
          <TextField
            label="Placement’s name"
            autoFocus
            value={name}
            slotProps={{ htmlInput: { maxLength: 80 } }}
            onChange={(event) => setName(event.target.value)}
          />
          {add.isError && <ProblemNote problem={problemOf(add.error)} />}
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!isReady || add.isPending}>
            Add it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
