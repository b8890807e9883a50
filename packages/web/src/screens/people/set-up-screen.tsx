import Button from '@mui/material/Button';
import { useSecondFactor, useSignOut } from '../../api/people.ts';
import { SecondFactor } from './second-factor.tsx';
import styles from './people.module.css';

/** Stands before everything where the workspace asks for a second factor of somebody who has none yet. */
export function SetUpScreen({ onDone }: { onDone: () => void }) {
  const since = useSecondFactor().data?.since ?? null;
  const signOut = useSignOut();
  return (
    <div className="desk">
      <main className="scroll">
        <div className={styles.people}>
          <h1>One thing before you go in</h1>
          <p>This workspace asks you for a second factor beside your password.</p>
          <SecondFactor kept />
          <p className={styles.ways}>
            {since && (
              <Button variant="contained" onClick={onDone}>
                I have kept the spare codes; go in
              </Button>
            )}
            <button className="fix tall" onClick={() => signOut.mutate()}>
              Sign out
            </button>
          </p>
        </div>
      </main>
    </div>
  );
}
