import { Link } from 'react-router';
import { countWords } from '@mivvy/core';
import type { Attention as Counts } from '@mivvy/api';
import { useAttention } from '../../api/ledger.ts';
import { Stamp } from '../../parts/stamp.tsx';
import styles from './attention.module.css';

type Shape = Parameters<typeof Stamp>[0]['shape'];

/** What is told of, most pressing first. */
const told: readonly { of: keyof Counts; shape: Shape; words: (count: number) => string }[] = [
  { of: 'late', shape: 'fail', words: (n) => `${n} late` },
  { of: 'soon', shape: 'look', words: (n) => `${n} due today or tomorrow` },
  { of: 'changesAsked', shape: 'look', words: (n) => `changes asked of ${n}` },
  { of: 'openNotes', shape: 'act', words: (n) => `${countWords(n, 'note')} to be seen to` },
  { of: 'behind', shape: 'look', words: (n) => `${n} behind` },
  { of: 'atFault', shape: 'fail', words: (n) => `${n} at fault` },
];

/** What needs somebody first, over all productions. */
export function Attention() {
  const { data } = useAttention();
  if (!data) return null;
  const now = told.filter(({ of }) => data[of] > 0);
  return (
    <p className={styles.line} aria-label="What needs somebody">
      {now.map(({ of, shape, words }) => (
        <Stamp key={of} shape={shape}>
          {words(data[of])}
        </Stamp>
      ))}
      {now.length === 0 && (
        <span className="quiet">Nothing is late, behind, at fault or asked to be changed.</span>
      )}
      <Link className="fix tall" to="/ledger">
        All deliverables
      </Link>
    </p>
  );
}
