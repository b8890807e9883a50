import { useLetGo, useSessions } from '../../api/people.ts';
import { momentWords } from '../../parts/days.ts';
import { Failed, Loading } from '../../parts/notices.tsx';
import styles from './people.module.css';

/** Browsers that are signed in; each can be signed out. */
export function Browsers() {
  const sessions = useSessions();
  const letGo = useLetGo();
  if (sessions.isPending) return <Loading what="the browsers" />;
  if (sessions.isError) return <Failed error={sessions.error} onRetry={() => void sessions.refetch()} />;
  return (
    <section aria-label="Signed in">
      <h2>Signed in</h2>
      <ul className={styles.list}>
        {sessions.data.map((session) => (
          <li key={session.id}>
            <span className={styles.wide}>
              <b>{session.person}</b>{' '}
              <span className="quiet">
                {session.own && 'here, '}
                {session.browser || 'a browser without a name'}, from {session.address}; since{' '}
                {momentWords(session.createdAt)}, last {momentWords(session.lastSeenAt)}
              </span>
            </span>
            <button
              className="fix tall"
              aria-label={`Sign out ${session.own ? 'here' : session.person}`}
              onClick={() => letGo.mutate({ kind: 'sessions', id: session.id })}
            >
              Sign out
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
