import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import {
  aspectLabel,
  durationLabel,
  frameForMaster,
  shapeWord,
  sizeLabel,
  type Placement,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../api/client.ts';
import { useAddVersions } from '../api/changes.ts';
import { useSpecBook } from '../api/queries.ts';
import { Failed, Loading } from './notices.tsx';

/** A frame's shape, drawn small and to scale. */
export function ShapeMark({ frame, size = 34 }: { frame: { width: number; height: number }; size?: number }) {
  const k = size / Math.max(frame.width, frame.height);
  return (
    <span
      style={{ width: size, height: size, display: 'grid', placeItems: 'center', flex: 'none' }}
      aria-hidden
    >
      <span
        style={{
          width: Math.max(6, frame.width * k),
          height: Math.max(6, frame.height * k),
          border: '1.5px solid var(--ink)',
        }}
      />
    </span>
  );
}

/** A placement's numbers in one quiet line. */
export function placementLine(placement: Placement): string {
  const { frame, duration, frameRate } = placement;
  return [
    `${shapeWord(frame)} ${aspectLabel(frame)}`,
    sizeLabel(frame),
    duration?.maxSeconds !== undefined ? `at most ${durationLabel(duration.maxSeconds)}` : null,
    frameRate?.max ? `at most ${frameRate.max} fps` : null,
    placement.audio === null ? 'silent' : null,
  ]
    .filter(Boolean)
    .join(' · ');
}

/** Chooses where a master goes: each placement ticked becomes a version. */
export function PlacesDialog({
  productionId,
  master,
  versions,
  open,
  onClose,
}: {
  productionId: string;
  master: Master;
  versions: readonly Version[];
  open: boolean;
  onClose: () => void;
}) {
  const book = useSpecBook();
  const add = useAddVersions(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const have = new Set(versions.filter((v) => v.masterId === master.id).map((v) => v.placementId));
  const toggle = (id: string) =>
    setChosen(chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]);
  const close = () => {
    setChosen([]);
    onClose();
  };
  return (
    <Dialog open={open} onClose={close} fullWidth maxWidth="md" aria-labelledby="places-title">
      <DialogContent sx={{ pb: 0 }}>
        <h2 id="places-title" style={{ fontSize: 18, marginBottom: 2 }}>
          Where does “{master.name}” go?
        </h2>
        <p className="quiet" style={{ marginBottom: 12 }}>
          Each place becomes a version with its own frame, limits and encoding.
        </p>
        {book.isPending ? (
          <Loading what="the spec book" />
        ) : book.isError ? (
          <Failed error={book.error} onRetry={() => void book.refetch()} />
        ) : (
          <div style={{ columns: 2, columnGap: 28 }}>
            {[...book.data.outlets]
              .sort((a, b) => Number(a.id === 'starter') - Number(b.id === 'starter'))
              .map((outlet) => (
                <section key={outlet.id} style={{ breakInside: 'avoid', marginBottom: 14 }}>
                  <h3
                    style={{
                      fontSize: 13,
                      fontWeight: 650,
                      borderBottom: '1px solid var(--rule)',
                      paddingBottom: 3,
                    }}
                  >
                    {outlet.name}
                  </h3>
                  {outlet.placements.map((placement) => {
                    const taken = have.has(placement.id);
                    const frame = master.facts
                      ? frameForMaster(master.facts.video.displayed, placement.frame, placement.largerFrame)
                      : placement.frame;
                    return (
                      <label
                        key={placement.id}
                        style={{
                          display: 'flex',
                          alignItems: 'center',
                          gap: 8,
                          minHeight: 46,
                          cursor: taken ? 'default' : 'pointer',
                          opacity: taken ? 0.6 : 1,
                        }}
                      >
                        <Checkbox
                          size="small"
                          checked={taken || chosen.includes(placement.id)}
                          disabled={taken}
                          onChange={() => toggle(placement.id)}
                          slotProps={{ input: { 'aria-label': `${outlet.name}, ${placement.name}` } }}
                        />
                        <ShapeMark frame={placement.frame} />
                        <span style={{ minWidth: 0 }}>
                          <b style={{ fontWeight: 600 }}>{placement.name}</b>
                          {taken && <span className="quiet"> · already a version</span>}
                          <br />
                          <span className="quiet" style={{ fontSize: 12 }}>
                            {placementLine(placement)}
                            {frame !== placement.frame && ` · ${sizeLabel(frame)} from this master`}
                          </span>
                        </span>
                      </label>
                    );
                  })}
                </section>
              ))}
          </div>
        )}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={close}>Cancel</Button>
        <Button
          variant="contained"
          disabled={chosen.length === 0 || add.isPending}
          onClick={() =>
            add.mutate(
              { masterId: master.id, placementIds: [...chosen] },
              {
                onSuccess: close,
                onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
              },
            )
          }
        >
          {chosen.length === 0
            ? 'Make versions'
            : chosen.length === 1
              ? 'Make 1 version'
              : `Make ${chosen.length} versions`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
