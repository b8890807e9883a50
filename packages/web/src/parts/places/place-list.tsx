import Checkbox from '@mui/material/Checkbox';
import { frameForMaster, sizeLabel, type Outlet, type Placement, type Size } from '@mivvy/core';
import { placementLine, ShapeMark } from './placement-line.tsx';
import styles from './places.module.css';

/** What has been chosen of the spec book, and what cannot be: it is a version already. */
export interface PlaceChoice {
  chosen: readonly string[];
  taken: ReadonlySet<string>;
  choose: (chosen: string[]) => void;
}

/** The outlets and placements that a search leaves: every word is found in their names or their numbers. */
export function searched(outlets: readonly Outlet[], search: string): Outlet[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (outlet: Outlet, placement: Placement) => {
    const text = `${outlet.name} ${placement.name} ${placementLine(placement)}`.toLowerCase();
    return words.every((word) => text.includes(word));
  };
  return outlets
    .map((outlet) => ({ ...outlet, placements: outlet.placements.filter((p) => fits(outlet, p)) }))
    .filter((outlet) => outlet.placements.length > 0);
}

function Place({
  outlet,
  placement,
  choice,
  master,
}: {
  outlet: Outlet;
  placement: Placement;
  choice: PlaceChoice;
  master: Size | null;
}) {
  const { chosen, taken, choose } = choice;
  const isTaken = taken.has(placement.id);
  const frame = master ? frameForMaster(master, placement.frame, placement.largerFrame) : placement.frame;
  const toggle = () =>
    choose(
      chosen.includes(placement.id) ? chosen.filter((c) => c !== placement.id) : [...chosen, placement.id],
    );
  return (
    <label className={`${styles.place} ${isTaken ? styles.taken : ''}`}>
      <Checkbox
        size="small"
        checked={isTaken || chosen.includes(placement.id)}
        disabled={isTaken}
        onChange={toggle}
        slotProps={{ input: { 'aria-label': `${outlet.name}, ${placement.name}` } }}
      />
      <ShapeMark frame={placement.frame} />
      <span>
        <b>{placement.name}</b>
        {isTaken && <span className="quiet"> · already a version</span>}
        <br />
        <span className="quiet small">
          {placementLine(placement)}
          {frame !== placement.frame && ` · ${sizeLabel(frame)} from this master`}
        </span>
      </span>
    </label>
  );
}

/** The places of the spec book, by outlet; each outlet can be taken whole. */
export function PlaceList({
  outlets,
  choice,
  master,
}: {
  outlets: readonly Outlet[];
  choice: PlaceChoice;
  /** Displayed size of the master, where it is known. */
  master: Size | null;
}) {
  const { chosen, taken, choose } = choice;
  return (
    <div className={styles.outlets}>
      {outlets.map((outlet) => {
        const free = outlet.placements.map((p) => p.id).filter((id) => !taken.has(id));
        const all = free.every((id) => chosen.includes(id));
        const others = chosen.filter((id) => !free.includes(id));
        return (
          <section key={outlet.id} className={styles.outlet} aria-label={outlet.name}>
            <header>
              <h3>{outlet.name}</h3>
              {free.length > 1 && (
                <button
                  type="button"
                  className="fix tall"
                  onClick={() => choose(all ? others : [...others, ...free])}
                  aria-label={`${all ? 'None' : 'All'} of ${outlet.name}`}
                >
                  {all ? 'none' : `all ${free.length}`}
                </button>
              )}
            </header>
            {outlet.placements.map((placement) => (
              <Place
                key={placement.id}
                outlet={outlet}
                placement={placement}
                choice={choice}
                master={master}
              />
            ))}
          </section>
        );
      })}
    </div>
  );
}
