import { useMe } from '../../api/people.ts';
import { Loading } from '../../parts/notices.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import { Browsers } from './browsers.tsx';
import { Everybody } from './everybody.tsx';
import { OwnPassword } from './own-password.tsx';
import { SecondFactor } from './second-factor.tsx';
import { Tokens } from './tokens.tsx';
import styles from './people.module.css';

/** Who may come in, by which browsers and tokens; one's own, or everybody's for who runs everything. */
export function PeopleScreen() {
  const me = useMe();
  const person = me.data?.person;
  const runs = person?.role === 'runs';
  return (
    <div className="desk">
      <TopBar where={<b>{runs ? 'People' : 'Yours'}</b>} />
      <main className="scroll">
        <div className={styles.people}>
          <h1>{runs ? 'People' : 'Your browsers and tokens'}</h1>
          {me.isPending ? (
            <Loading what="who is here" />
          ) : person ? (
            <>
              {runs && <Everybody ownId={person.id} />}
              <Browsers />
              <Tokens role={person.role} />
              <OwnPassword />
              <SecondFactor />
            </>
          ) : (
            <p>
              Nobody signs in to this workspace: it is open to this machine alone. Started with{' '}
              <code>MIVVY_HOST</code> it is open to a network, and then people sign in.
            </p>
          )}
        </div>
      </main>
    </div>
  );
}
