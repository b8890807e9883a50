import FoldedIcon from '@mui/icons-material/ChevronRight';
import OpenIcon from '@mui/icons-material/ExpandMore';
import type { LedgerQuery } from '@mivvy/api';
import { groupName } from './grouping.tsx';
import type { HeadEntry } from './group-rows.ts';
import styles from './ledger.module.css';

/** A group's name and count above its rows. Pressed, it folds them; and it can be looked at alone. */
export function GroupHead({
  entry: { group, folded },
  grouping,
  alone,
  onFold,
  onWithin,
}: {
  entry: HeadEntry;
  grouping: LedgerQuery['group'];
  /** It is the only one that is looked at. */
  alone: boolean;
  onFold: (key: string) => void;
  onWithin: (key: string | undefined) => void;
}) {
  const name = groupName(grouping, group.name);
  return (
    <span className={styles.groupHead}>
      <button aria-expanded={!folded} onClick={() => onFold(group.key)}>
        {folded ? <FoldedIcon fontSize="small" /> : <OpenIcon fontSize="small" />}
        {name} <b>{group.count}</b>
      </button>
      <button className="fix tall" onClick={() => onWithin(alone ? undefined : group.key)}>
        {alone ? 'All groups' : 'This one alone'}
        {!alone && <span className="sr">: {name}</span>}
      </button>
    </span>
  );
}
