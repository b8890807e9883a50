import TextField from '@mui/material/TextField';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { allPlacements, type Outlet, type Placement } from '@mivvy/core';
import type { PlacementStanding } from '@mivvy/api';
import { placementLine, ShapeMark } from '../../parts/places/placement-line.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import styles from './spec-book.module.css';

/** Heights of the list's lines, pixels. */
const headHeight = 34;
const lineHeight = 52;

type Line =
  | { kind: 'outlet'; key: string; name: string }
  | { kind: 'place'; key: string; standing: PlacementStanding; placement: Placement | undefined };

/** What is listed: outlets with their placements, those that are searched for. */
function linesOf(
  standings: readonly PlacementStanding[],
  outlets: readonly Outlet[],
  wanted: string,
): Line[] {
  const rules = new Map(allPlacements(outlets).map((p) => [p.placement.id, p.placement]));
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const isWanted = (s: PlacementStanding) => {
    const text = `${s.outlet.name} ${s.name} ${s.id}`.toLowerCase();
    return words.every((word) => text.includes(word));
  };
  const byOutlet = new Map<string, PlacementStanding[]>();
  for (const standing of standings.filter(isWanted))
    byOutlet.set(standing.outlet.id, [...(byOutlet.get(standing.outlet.id) ?? []), standing]);
  return [...byOutlet.values()].flatMap((places): Line[] => [
    { kind: 'outlet', key: `outlet ${places[0]!.outlet.id}`, name: places[0]!.outlet.name },
    ...places.map((standing) => ({
      kind: 'place' as const,
      key: standing.id,
      standing,
      placement: rules.get(standing.id),
    })),
  ]);
}

function PlaceLine({ standing, placement, isOpen }: Extract<Line, { kind: 'place' }> & { isOpen: boolean }) {
  return (
    <Link
      to={`/spec-book/${standing.id}`}
      className={isOpen ? 'on' : ''}
      aria-current={isOpen ? 'page' : undefined}
    >
      {placement && <ShapeMark frame={placement.frame} size={30} />}
      <span className={styles.lineWords}>
        <b>{standing.name}</b>
        <span className="quiet clip">
          {standing.retiredOn ? 'retired' : placement ? placementLine(placement) : ''}
        </span>
      </span>
      {standing.changesOn && <Stamp shape="act">Changes</Stamp>}
      {standing.stale && !standing.retiredOn && <Stamp shape="look">Check</Stamp>}
    </Link>
  );
}

/** The book's contents, to be searched and gone through; only what is in view is drawn. */
export function Contents({
  standings,
  outlets,
  openId,
}: {
  standings: readonly PlacementStanding[];
  outlets: readonly Outlet[];
  openId: string | undefined;
}) {
  const [wanted, setWanted] = useState('');
  const box = useRef<HTMLDivElement>(null);
  const lines = linesOf(standings, outlets, wanted);
  const list = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => (lines[i]!.kind === 'outlet' ? headHeight : lineHeight),
    getItemKey: (i) => lines[i]!.key,
    overscan: 12,
  });
  return (
    <>
      <TextField
        className={styles.search}
        label="Find a placement"
        size="small"
        value={wanted}
        onChange={(event) => setWanted(event.target.value)}
      />
      <div ref={box} className={styles.list}>
        {lines.length === 0 && <p className={`quiet ${styles.none}`}>No placement is called so.</p>}
        <div style={{ height: list.getTotalSize() }} className={styles.rows}>
          {list.getVirtualItems().map((item) => {
            const line = lines[item.index]!;
            return (
              <div key={item.key} style={{ height: item.size, transform: `translateY(${item.start}px)` }}>
                {line.kind === 'outlet' ? (
                  <h2>{line.name}</h2>
                ) : (
                  <PlaceLine {...line} isOpen={line.standing.id === openId} />
                )}
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}
