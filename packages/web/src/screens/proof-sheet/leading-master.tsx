import { useVirtualizer } from '@tanstack/react-virtual';
import Button from '@mui/material/Button';
import { useMemo, type RefObject } from 'react';
import { sizeAt } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { usePreferences } from '../../api/queries.ts';
import type { Overlays } from '../../parts/proof.tsx';
import { useSeen } from '../../parts/seen.tsx';
import type { Planned } from '../../parts/versions.ts';
import { Cell } from './cell.tsx';
import { frameOnSheet, layOut, sheetGap } from './sheet-scale.ts';

export interface SheetVersion {
  version: Version;
  planned: Planned | null;
}

/** Rows drawn beyond what is in view, so that none comes in empty. */
const rowsAhead = 1;

/** All versions of the master that leads, in view at once where that can be; only what is in view is drawn. */
export function Proofs({
  master,
  versions,
  overlays,
  room,
  scroller,
  onEnlarge,
}: {
  master: Master;
  versions: readonly SheetVersion[];
  overlays: Overlays;
  room: { width: number; height: number };
  scroller: RefObject<HTMLDivElement | null>;
  onEnlarge: (version: Version) => void;
}) {
  const seen = useSeen().get(master.id);
  const onArrival = usePreferences().data?.frameOnArrival ?? true;
  const sheet = useMemo(
    () =>
      layOut(
        versions.map((v) => v.version),
        room,
      ),
    [versions, room],
  );
  const rows = useVirtualizer({
    count: sheet.rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => sheet.rows[i]!.height,
    getItemKey: (i) => `${sheet.scale} ${sheet.rows[i]!.from}`,
    gap: sheetGap,
    overscan: rowsAhead,
  });
  return (
    <div className="proofs" style={{ height: sheet.height }} data-fits={sheet.fits} data-scale={sheet.scale}>
      {rows.getVirtualItems().map(({ index, start }) => {
        const row = sheet.rows[index];
        if (!row) return null;
        return (
          <div key={row.from} className="sheetrow" style={{ top: start, height: row.height }}>
            {versions.slice(row.from, row.to).map(({ version, planned }) => (
              <Cell
                key={version.id}
                version={version}
                master={master}
                planned={planned}
                look={seen?.look}
                onArrival={onArrival}
                overlays={overlays}
                size={sizeAt(frameOnSheet(version), sheet.scale)}
                onEnlarge={onEnlarge}
              />
            ))}
          </div>
        );
      })}
    </div>
  );
}

/** A master that goes nowhere yet: its poster, and the next thing to do. */
export function UnplacedMaster({ master, onPlaces }: { master: Master; onPlaces: () => void }) {
  const { width, height } = master.facts!.video.displayed;
  const k = Math.min(420 / width, 320 / height);
  return (
    <div className="unplaced">
      <div className="crops" style={{ width: width * k, height: height * k }}>
        <div className="picture">
          {master.hasPoster ? (
            <img src={`/api/masters/${master.id}/poster?file=${master.fileGeneration}`} alt="" />
          ) : (
            <div className="waiting">Drawing a still</div>
          )}
        </div>
      </div>
      <p className="quiet">It goes nowhere yet.</p>
      <Button variant="contained" onClick={onPlaces}>
        Choose places
      </Button>
    </div>
  );
}
