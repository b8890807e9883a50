import { Link } from 'react-router';
import type { Machines } from '@mivvy/api';
import { useMe } from '../../api/people.ts';
import styles from './machines.module.css';

/** How another machine joins: the very line to type there. */
export function AddMachine({ queue }: { queue: Machines['queue'] }) {
  const signIn = useMe().data?.signIn ?? false;
  const { origin } = window.location;
  const token = signIn ? ' --token-file FILE' : '';
  return (
    <section className={styles.add} aria-label="Add a machine">
      <h2>Add a machine</h2>
      {queue.kind === 'redis' ? (
        <>
          <p>
            On the other machine, with the same release of Mivvy and the same ffmpeg, and both addresses as
            that machine reaches them:
          </p>
          <pre>
            ./mivvy worker --server {origin} --queue {queue.address}
            {token}
          </pre>
          <p className="quiet">
            It joins by itself and stands here.{' '}
            {signIn ? (
              <>
                The file holds a token that is made for a render machine under{' '}
                <Link className="fix" to="/people">
                  People
                </Link>
                .
              </>
            ) : (
              'This workspace is open to this computer alone. For machines elsewhere, open it to your network first; people then sign in.'
            )}
          </p>
        </>
      ) : (
        <>
          <p>Start the server with a queue, which Debian’s redis-server is:</p>
          <pre>./mivvy start --queue redis://127.0.0.1:6379</pre>
          <p className="quiet">Then this page tells how another machine joins.</p>
        </>
      )}
    </section>
  );
}
