import type { LedgerPage, LedgerQuery } from '@mivvy/api';
import { Choice } from '../../parts/choice.tsx';
import { dayWords } from '../../parts/days.ts';
import styles from './ledger.module.css';

type Group = NonNullable<LedgerQuery['group']>;
const groupings: Readonly<Record<Group | 'none', string>> = {
  none: 'in one list',
  production: 'by production',
  outlet: 'by outlet',
  holder: 'by who has it',
  day: 'by the day it is due',
};
/** What a group is called whose deliverables have none of that. */
const withoutOne: Readonly<Record<Group, string>> = {
  production: '',
  outlet: 'An outlet that is gone',
  holder: 'Nobody',
  day: 'No day',
};

/** What a group is called. */
export function groupName(group: Group | undefined, name: string): string {
  if (group === undefined || name === '') return withoutOne[group ?? 'production'];
  return group === 'day' ? dayWords(name) : name;
}

/** How rows are put together, and all groups folded or opened at once. */
export function Grouping({
  query: { group, within },
  groups,
  folded,
  onChange,
  onFold,
}: {
  query: LedgerQuery;
  groups: LedgerPage['groups'];
  folded: readonly string[];
  onChange: (what: Pick<LedgerQuery, 'group' | 'within'>) => void;
  onFold: (keys: readonly string[]) => void;
}) {
  const isAllFolded = groups.length > 0 && groups.every(({ key }) => folded.includes(key));
  return (
    <div className={styles.stages} role="group" aria-label="Groups">
      <span>
        Shown{' '}
        <Choice
          label="How deliverables are put together"
          value={group ?? 'none'}
          shown={groupings[group ?? 'none']}
          options={Object.entries(groupings).map(([value, name]) => ({
            value: value as Group | 'none',
            name,
          }))}
          onChange={(next) => onChange({ group: next === 'none' ? undefined : next, within: undefined })}
        />
      </span>
      {groups.length > 1 && within === undefined && (
        <span className={styles.foldAll}>
          <button
            className="fix tall"
            disabled={isAllFolded}
            onClick={() => onFold(groups.map(({ key }) => key))}
          >
            Fold all {groups.length}
          </button>
          <button className="fix tall" disabled={folded.length === 0} onClick={() => onFold([])}>
            Open all
          </button>
        </span>
      )}
    </div>
  );
}
