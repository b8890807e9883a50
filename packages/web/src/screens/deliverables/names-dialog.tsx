import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core';
import { arrayMove, horizontalListSortingStrategy, SortableContext, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import {
  countWords,
  longestPattern,
  nameParts,
  readPattern,
  usualPattern,
  writePattern,
  type NamePart,
  type NamePiece,
} from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useRenameProduction } from '../../api/changes.ts';
import { useNamingPreview, useRenameFiles } from '../../api/ledger.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import styles from './names.module.css';

/** One movable word of a name: dragged, moved by keys, or taken out. */
function Piece({ id, piece, onRemove }: { id: string; piece: NamePiece; onRemove: () => void }) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id });
  const words = piece.kind === 'part' ? nameParts[piece.part].split(',')[0]! : piece.text;
  return (
    <li
      ref={setNodeRef}
      className={piece.kind === 'part' ? styles.part : styles.words}
      style={{ transform: CSS.Transform.toString(transform), transition }}
    >
      <span {...attributes} {...listeners} className={styles.grip}>
        {words}
      </span>
      <button type="button" aria-label={`Take ${words} out`} onClick={onRemove}>
        ×
      </button>
    </li>
  );
}

/** A name as a sentence of movable words. */
function Pieces({
  pieces,
  onChange,
}: {
  pieces: readonly NamePiece[];
  onChange: (pieces: NamePiece[]) => void;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor),
  );
  const ids = pieces.map((_piece, i) => String(i));
  const drop = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id) onChange(arrayMove([...pieces], Number(active.id), Number(over.id)));
  };
  return (
    <DndContext sensors={sensors} onDragEnd={drop}>
      <SortableContext items={ids} strategy={horizontalListSortingStrategy}>
        <ul className={styles.pieces} aria-label="The name’s words">
          {pieces.map((piece, i) => (
            <Piece
              key={i}
              id={String(i)}
              piece={piece}
              onRemove={() => onChange(pieces.filter((_other, j) => j !== i))}
            />
          ))}
        </ul>
      </SortableContext>
    </DndContext>
  );
}

/** How the files of a production are called: put together from words, or typed, with what each version's would be. */
export function NamesDialog({ onClose }: { onClose: () => void }) {
  const production = useThisProduction();
  const [pattern, setPattern] = useState(production.naming ?? usualPattern);
  const preview = useNamingPreview(production.id, pattern);
  const save = useRenameProduction(production.id);
  const rename = useRenameFiles(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const pieces = readPattern(pattern);
  const used = new Set(pieces.flatMap((piece) => (piece.kind === 'part' ? [piece.part] : [])));
  const add = (part: NamePart) => setPattern(pattern ? `${pattern}_${part}` : part);
  const keep = (thenRename: boolean) =>
    save.mutate(
      { naming: pattern === usualPattern ? null : pattern },
      {
        onSuccess: () => {
          if (!thenRename) return onClose();
          rename.mutate(undefined, {
            onSuccess: ({ renamed }) => {
              enqueueSnackbar(`${countWords(renamed, 'file')} renamed; what they were called is kept.`);
              onClose();
            },
            onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
          });
        },
      },
    );
  const toRename = preview.data?.toRename ?? 0;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby="names-title">
      <DialogContent className={styles.content}>
        <h2 id="names-title">How files are called</h2>
        <Pieces pieces={pieces} onChange={(next) => setPattern(writePattern(next))} />
        <p className={styles.offer}>
          <span className="quiet">Add:</span>
          {(Object.keys(nameParts) as NamePart[])
            .filter((part) => !used.has(part))
            .map((part) => (
              <button key={part} type="button" className="fix tall" onClick={() => add(part)}>
                {nameParts[part].split(',')[0]}
              </button>
            ))}
        </p>
        <TextField
          label="Typed in one line"
          value={pattern}
          helperText="Words in capitals are replaced; everything else stands as it is"
          onChange={(event) => setPattern(event.target.value)}
          slotProps={{ htmlInput: { maxLength: longestPattern, className: 'mono', spellCheck: false } }}
        />
        <ul
          className={styles.preview}
          tabIndex={0}
          aria-label="What files would be called"
          aria-busy={preview.isFetching}
        >
          {preview.data?.names.map((name) => {
            const version = production.versions.find((v) => v.id === name.versionId);
            return (
              <li key={name.versionId}>
                <span className="quiet">{version && `${version.tag} · ${versionName(version)}`}</span>
                <span className="mono">{name.fileName}</span>
                {name.troubles.map((trouble) => (
                  <em key={trouble} className="warn mild">
                    {trouble}
                  </em>
                ))}
              </li>
            );
          })}
        </ul>
        {save.isError && <ProblemNote problem={problemOf(save.error)} />}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Cancel</Button>
        {toRename > 0 && (
          <Button disabled={save.isPending || rename.isPending} onClick={() => keep(true)}>
            Keep it, and rename {countWords(toRename, 'file')} that {toRename === 1 ? 'is' : 'are'} there
          </Button>
        )}
        <Button variant="contained" disabled={save.isPending} onClick={() => keep(false)}>
          Keep it for files to come
        </Button>
      </DialogActions>
    </Dialog>
  );
}
