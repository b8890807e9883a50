import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState, type FormEvent, type ReactNode } from 'react';
import type { ReviewPage as Page } from '@mivvy/api';
import { enter, loadPage, Refused } from './ask.ts';
import { Film } from './film.tsx';

/** Nothing but words: a link that has ended, or a server that is away. */
function Words({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <main className="words">
      <h1>{title}</h1>
      {children}
    </main>
  );
}

/** Asks for the link's password. */
function Entry({ secret, onIn }: { secret: string; onIn: () => void }) {
  const [password, setPassword] = useState('');
  const [wrong, setWrong] = useState('');
  const go = (event: FormEvent) => {
    event.preventDefault();
    enter(secret, password).then(onIn, (error: unknown) =>
      setWrong(error instanceof Refused ? `${error.problem.sentence} ${error.problem.mend}` : String(error)),
    );
  };
  return (
    <Words title="This link asks for a password">
      <form onSubmit={go}>
        <input
          type="password"
          aria-label="Password"
          autoFocus
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        <button className="yes" disabled={!password}>
          Open
        </button>
        {wrong && <p role="alert">{wrong}</p>}
      </form>
    </Words>
  );
}

/** The films behind a link, one at a time. */
function Films({ page, secret }: { page: Page; secret: string }) {
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      page.files.findIndex((file) => file.answer === null),
    ),
  );
  const client = useQueryClient();
  const file = page.files[Math.min(at, page.files.length - 1)];
  useEffect(() => {
    document.title = `${page.production}: films to look at`;
  }, [page.production]);
  if (!file) return <Words title="There is no film here just now">Come back a little later.</Words>;
  return (
    <Film
      key={file.id}
      file={file}
      page={page}
      secret={secret}
      number={at + 1}
      onGo={(step) => setAt((before) => (before + step + page.files.length) % page.files.length)}
      onTold={(next) => client.setQueryData(['page'], next)}
    />
  );
}

/** What a client sees: films in their places' furniture, and two answers. */
export function ReviewPage({ secret }: { secret: string }) {
  const query = useQuery({ queryKey: ['page'], queryFn: () => loadPage(secret), refetchInterval: 20_000 });
  if (query.data) return <Films page={query.data} secret={secret} />;
  if (query.isPending) return <Words title="One moment" />;
  const { error } = query;
  if (error instanceof Refused && error.status === 401)
    return <Entry secret={secret} onIn={() => void query.refetch()} />;
  const told = error instanceof Refused ? error.problem : null;
  return (
    <Words title={told?.sentence ?? 'This page could not be loaded'}>
      <p>{told ? told.mend : 'Check your connection and load it again.'}</p>
    </Words>
  );
}
