import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { countWords, type Size } from '@mivvy/core';
import { useSpecBook } from '../../api/queries.ts';
import { Failed, Loading } from '../notices.tsx';
import { PlaceList, searched } from './place-list.tsx';
import { PlaceSets } from './place-sets.tsx';
import styles from './places.module.css';

const nothing: ReadonlySet<string> = new Set();

/** Asks where films go: each place that is ticked becomes a version of each of them. */
export function PlacesDialog({
  title,
  picture,
  about,
  master = null,
  taken = nothing,
  films = 1,
  busy = false,
  onChoose,
  onClose,
}: {
  title: string;
  /** The film's first picture, where there is one. */
  picture?: ReactNode;
  about: string;
  /** Displayed size of the film, where it is known. */
  master?: Size | null;
  /** Placements that it goes to already. */
  taken?: ReadonlySet<string>;
  /** How many films are asked for. */
  films?: number;
  busy?: boolean;
  onChoose: (placementIds: string[]) => void;
  onClose: () => void;
}) {
  const book = useSpecBook();
  const [chosen, choose] = useState<readonly string[]>([]);
  const [search, setSearch] = useState('');
  const choice = { chosen, taken, choose };
  // Neutral places come first: they serve whoever has no outlets of their own yet.
  const outlets = [...(book.data?.outlets ?? [])].sort(
    (a, b) => Number(a.id === 'starter') - Number(b.id === 'starter'),
  );
  const known = new Set(outlets.flatMap((outlet) => outlet.placements.map((p) => p.id)));
  const shown = searched(outlets, search);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby="places-title">
      <DialogContent className={styles.dialog}>
        <div className={picture ? styles.head : ''}>
          {picture && <div className={styles.picture}>{picture}</div>}
          <div>
            <h2 id="places-title">{title}</h2>
            <p className="quiet">{about}</p>
          </div>
        </div>
        <PlaceSets choice={choice} known={known} />
        <TextField
          label="Search places"
          size="small"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          slotProps={{ htmlInput: { type: 'search' } }}
        />
        {book.isPending ? (
          <Loading what="the spec book" />
        ) : book.isError ? (
          <Failed error={book.error} onRetry={() => void book.refetch()} />
        ) : shown.length === 0 ? (
          <p className="quiet">No place is called that, or has such numbers.</p>
        ) : (
          <PlaceList outlets={shown} choice={choice} master={master} />
        )}
      </DialogContent>
      <div className={styles.foot}>
        {chosen.length > 0 && (
          <button type="button" className="fix tall" onClick={() => choose([])}>
            Untick all
          </button>
        )}
        <span className={styles.end}>
          <Button onClick={onClose}>Later</Button>
          <Button
            variant="contained"
            disabled={chosen.length === 0 || busy}
            onClick={() => onChoose([...chosen])}
          >
            {chosen.length === 0 ? 'Make versions' : `Make ${countWords(chosen.length * films, 'version')}`}
          </Button>
        </span>
      </div>
    </Dialog>
  );
}
