import styles from './foldings.module.css';

export const foldings = { list: 'List', board: 'Board', calendar: 'Calendar' } as const;
export type Folding = keyof typeof foldings;

/** A folding by its name in an address; the list where it is none. */
export const foldingOf = (name: string | null): Folding =>
  name === 'board' || name === 'calendar' ? name : 'list';

/** The ways of folding the same rows. */
export function FoldingSwitch({ folding, onFold }: { folding: Folding; onFold: (folding: Folding) => void }) {
  return (
    <div className={styles.folding} role="group" aria-label="Folded as">
      {Object.entries(foldings).map(([key, name]) => (
        <button key={key} aria-pressed={folding === key} onClick={() => onFold(key as Folding)}>
          {name}
        </button>
      ))}
    </div>
  );
}
