import LinearProgress from '@mui/material/LinearProgress';
import { useEffect, useState } from 'react';
import { guessesOf, tooEasy, type Guesses } from '@mivvy/api';
import { useMe } from '../../api/people.ts';
import styles from './people.module.css';

/** Letters from which on it is told how hard a password is. */
const tellFrom = 4;
/** Powers of ten of guesses that fill the line: more is told no better. */
const fullDecades = 16;

/** How many guesses a password stands, worked out in this browser alone; null until that is known. */
function useGuesses(password: string): Guesses | null {
  const [guesses, setGuesses] = useState<Guesses | null>(null);
  const name = useMe().data?.person?.name ?? '';
  useEffect(() => {
    let stale = false;
    const known = password.length < tellFrom ? Promise.resolve(null) : guessesOf(password, name);
    // Where the lists cannot be fetched nothing is told here; the server looks at what is chosen all the same.
    void known
      .catch(() => null)
      .then((found) => {
        if (!stale) setGuesses(found);
      });
    return () => {
      stale = true;
    };
  }, [password, name]);
  return guesses;
}

/** Tells how hard a password is to guess while it is chosen. */
export function HowHard({ password }: { password: string }) {
  const guesses = useGuesses(password);
  // Where a button stands below, its place is kept while nothing is told, or that would move away under a click.
  if (!guesses) return <div className={styles.hard} />;
  return (
    <div className={styles.hard} role="status">
      <LinearProgress
        variant="determinate"
        color={guesses.enough ? 'primary' : 'error'}
        value={Math.min(100, (100 * guesses.decades) / fullDecades)}
        aria-label="How hard it is to guess"
      />
      <p>
        {guesses.enough ? (
          <>
            Stands about 10<sup>{Math.floor(guesses.decades)}</sup> guesses.
          </>
        ) : (
          tooEasy(guesses)
        )}
      </p>
    </div>
  );
}
