import { format } from 'date-fns';
import { useState } from 'react';
import { differenceWords, placementDifferences, type PlacementRevision } from '@mivvy/core';
import { Stamp } from '../../parts/stamp.tsx';
import { usePlacementDraft } from './placement-draft.tsx';
import styles from './spec-book.module.css';

const day = (text: string) => format(new Date(text), 'd MMM yyyy');
const dayOf = (text: string) => day(`${text}T00:00`);

function Slip({
  revision,
  before,
  holds,
  isCompared,
  onCompare,
}: {
  revision: PlacementRevision;
  before: PlacementRevision | undefined;
  holds: number;
  isCompared: boolean;
  onCompare: () => void;
}) {
  const { number, madeAt, by, reason, effectiveOn, placement } = revision;
  const changed = before ? placementDifferences(before.placement, placement) : [];
  const made = madeAt.slice(0, 10);
  return (
    <li className={styles.slip}>
      <p>
        <b>Revision {number}</b>, {day(madeAt)}
        {by && ` by ${by}`}
        {effectiveOn > made && `, from ${dayOf(effectiveOn)} on`}
        {'. '}
        {number === holds && <Stamp shape="pass">Holds today</Stamp>}
        {effectiveOn > made && number > holds && <Stamp shape="idle">To come</Stamp>}
      </p>
      <p>
        {before ? changed.map(differenceWords).join('; ') || 'Nothing of its rules' : 'The first'}
        {'. '}
        {reason && <span className="quiet">{reason.replace(/\.?$/, '.')} </span>}
        <label className={styles.compare}>
          <input type="checkbox" checked={isCompared} onChange={onCompare} /> Compare
        </label>
      </p>
    </li>
  );
}

/** Two revisions laid side by side, line by line. */
function SideBySide({ older, newer }: { older: PlacementRevision; newer: PlacementRevision }) {
  const lines = placementDifferences(older.placement, newer.placement);
  return (
    <table className={styles.sides}>
      <caption>
        Revision {older.number} beside revision {newer.number}
        {lines.length === 0 && ': nothing is different'}
      </caption>
      <tbody>
        {lines.map(({ path, field, before, after }) => (
          <tr key={path}>
            <th scope="row">{field}</th>
            <td className="mono">{before ?? 'no rule'}</td>
            <td className="mono">{after ?? 'no rule'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Every revision as a dated slip, newest on top; two of them can be laid side by side. */
export function Slips() {
  const { page } = usePlacementDraft();
  const [compared, setCompared] = useState<number[]>([]);
  const { revisions, standing } = page;
  const [older, newer] = compared
    .map((number) => revisions.find((r) => r.number === number)!)
    .sort((a, b) => a.number - b.number);
  const toggle = (number: number) =>
    setCompared((now) =>
      now.includes(number) ? now.filter((n) => n !== number) : [...now, number].slice(-2),
    );
  return (
    <section aria-label="Revisions">
      <h2>Revisions</h2>
      {older && newer && <SideBySide older={older} newer={newer} />}
      <ol className={styles.slips}>
        {revisions.toReversed().map((revision) => (
          <Slip
            key={revision.number}
            revision={revision}
            before={revisions.find((r) => r.number === revision.number - 1)}
            holds={standing.revision}
            isCompared={compared.includes(revision.number)}
            onCompare={() => toggle(revision.number)}
          />
        ))}
      </ol>
    </section>
  );
}
