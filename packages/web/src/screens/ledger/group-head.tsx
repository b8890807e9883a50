import FoldedIcon from '@mui/icons-material/ChevronRight';
import OpenIcon from '@mui/icons-material/ExpandMore';
import { createContext, useContext } from 'react';
import type { LedgerQuery } from '@mivvy/api';
import { groupName } from './grouping.tsx';
import type { HeadEntry } from './group-rows.ts';
import styles from './ledger.module.css';

/** What a head needs of the list that it stands in. */
export interface ListOfHeads {
  grouping: LedgerQuery['group'];
  /** The group that is looked at alone, by its key. */
  within: string | undefined;
  onFold: (key: string) => void;
  /** One group is looked at alone, or all of them again. */
  onWithin: (key: string | undefined) => void;
}
export const ListOfHeadsContext = createContext<ListOfHeads | null>(null);

/** A group's name and count above its rows. Pressed, it folds them; and it can be looked at alone. */
export function GroupHead({ entry: { group, folded } }: { entry: HeadEntry }) {
  const list = useContext(ListOfHeadsContext);
  if (!list) return null;
  const { grouping, within, onFold, onWithin } = list;
  const alone = within === group.key;
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
