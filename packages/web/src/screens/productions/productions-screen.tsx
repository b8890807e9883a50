import Button from '@mui/material/Button';
import { formatDistanceToNow } from 'date-fns';
import { useSnackbar } from 'notistack';
import { lazy, Suspense, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { Link, useNavigate } from 'react-router';
import type { ProductionCard } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useProductions } from '../../api/queries.ts';
import { useStartProduction } from '../../api/changes.ts';
import { sendFilms } from '../../api/uploads.ts';
import { dayWords } from '../../parts/days.ts';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import type { Stage, Standing } from '@mivvy/core';
import { Attention } from './attention.tsx';
import './productions.css';
import styles from './productions-screen.module.css';

const versionsOf = (card: ProductionCard): number =>
  Object.values(card.standings).reduce((sum, count) => sum + count, 0);

/** A production's versions, counted by what they wait for. */
function Standings({ card }: { card: ProductionCard }) {
  const count = (...of: Standing[]) => of.reduce((sum, standing) => sum + (card.standings[standing] ?? 0), 0);
  const bad = count('failed', 'failed-check', 'blocked', 'at-fault', 'changed-on-disk');
  const look = count('behind');
  const open = count('to-make');
  const busy = count('queued', 'making');
  const at = (...of: Stage[]) => of.reduce((sum, stage) => sum + (card.stages[stage] ?? 0), 0);
  const asked = at('changes-asked');
  const shown = at('in-review');
  const approved = at('approved');
  const out = at('dispatched', 'live');
  const done = at('passed');
  if (versionsOf(card) === 0)
    return <span className="quiet">{card.masters.length ? 'No places chosen yet' : 'No film yet'}</span>;
  return (
    <span className={styles.counts}>
      {bad > 0 && <Stamp shape="fail">{bad} at fault</Stamp>}
      {look > 0 && <Stamp shape="look">{look} behind</Stamp>}
      {open > 0 && <Stamp shape="act">{open} to export</Stamp>}
      {busy > 0 && <Stamp shape="idle">{busy} being made</Stamp>}
      {asked > 0 && <Stamp shape="look">{asked} to be changed</Stamp>}
      {shown > 0 && <Stamp shape="idle">{shown} in review</Stamp>}
      {done > 0 && <Stamp shape="pass">{done} passed</Stamp>}
      {approved > 0 && <Stamp shape="pass">{approved} approved</Stamp>}
      {out > 0 && <Stamp shape="pass">{out} handed over</Stamp>}
    </span>
  );
}

function Card({
  card,
  onRename,
  onCopy,
  onRemove,
}: {
  card: ProductionCard;
  onRename: () => void;
  onCopy: () => void;
  onRemove: () => void;
}) {
  const poster = card.masters.find((m) => m.hasPoster);
  return (
    <li className="production">
      <Link to={`/productions/${card.id}`} className="cover well" tabIndex={-1} aria-hidden>
        {poster && (
          <img src={`/api/masters/${poster.id}/poster?file=${poster.fileGeneration}`} alt="" loading="lazy" />
        )}
      </Link>
      <div className="about">
        <p className="quiet clip">{card.client || 'No client named'}</p>
        <h2 className="clip">
          <Link to={`/productions/${card.id}`}>{card.name}</Link>
        </h2>
        <p className="quiet">
          {card.masters.length === 1 ? '1 master' : `${card.masters.length} masters`} ·{' '}
          {versionsOf(card) === 1 ? '1 version' : `${versionsOf(card)} versions`}
          {card.dueOn && ` · due ${dayWords(card.dueOn)}`} · changed{' '}
          {formatDistanceToNow(new Date(card.updatedAt), { addSuffix: true })}
        </p>
        <div className="foot">
          <Standings card={card} />
          <span className={styles.actions}>
            <button className="fix tall" onClick={onCopy} aria-label={`One like ${card.name}`}>
              One like it
            </button>
            <button className="fix tall" onClick={onRename} aria-label={`Rename ${card.name}`}>
              Rename
            </button>
            <button className="fix tall" onClick={onRemove} aria-label={`Remove ${card.name}`}>
              Remove
            </button>
          </span>
        </div>
      </div>
    </li>
  );
}

/** Dialogs are loaded when they are opened: most who come here open a production. */
const NewProduction = lazy(async () => ({
  default: (await import('./production-dialogs.tsx')).NewProduction,
}));
const RenameProduction = lazy(async () => ({
  default: (await import('./production-dialogs.tsx')).RenameProduction,
}));
const CopyProduction = lazy(async () => ({
  default: (await import('./copy-production.tsx')).CopyProduction,
}));
const RemoveProduction = lazy(async () => ({
  default: (await import('./production-dialogs.tsx')).RemoveProduction,
}));

/** What a production is called that a film starts: as its file is, made readable. */
const nameAfter = (file: File): string =>
  file.name
    .replace(/\.[^.]+$/, '')
    .replace(/[_\s]+/g, ' ')
    .trim()
    .slice(0, 120) || 'Untitled film';

/** Films dropped here start a production of their own, named after the first. */
function useFilmsDropped(): (files: File[]) => void {
  const start = useStartProduction();
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  return (files) => {
    const [first] = files;
    if (!first) return;
    start.mutate(
      { name: nameAfter(first), client: '' },
      {
        onSuccess: ({ id }) => {
          sendFilms(files, id);
          void navigate(`/productions/${id}`);
        },
        onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
      },
    );
  };
}

/** Home: every production, and the place to drop a film. */
export function ProductionsScreen() {
  const query = useProductions();
  const [naming, setNaming] = useState(false);
  const [renaming, setRenaming] = useState<ProductionCard | null>(null);
  const [copying, setCopying] = useState<ProductionCard | null>(null);
  const [removing, setRemoving] = useState<ProductionCard | null>(null);
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    onDrop: useFilmsDropped(),
  });
  const actions = (
    <div className={styles.actionsBelow}>
      <Button variant="contained" onClick={open}>
        Choose a film
      </Button>
      <Button variant="outlined" onClick={() => setNaming(true)}>
        New production
      </Button>
    </div>
  );
  return (
    <div className="desk" {...getRootProps()}>
      <TopBar />
      <main className="scroll">
        <input {...getInputProps()} data-testid="film-chooser" />
        {!query.data?.length && <h1 className="sr">Productions</h1>}
        {query.isPending ? (
          <Loading what="the productions" />
        ) : query.isError ? (
          <Failed error={query.error} onRetry={() => void query.refetch()} />
        ) : query.data.length === 0 ? (
          <Empty title="Drop a finished film here" action={actions}>
            It is read at once, then framed for every place that shows it, exported, and checked file by file.
          </Empty>
        ) : (
          <div className="productions">
            <div className="head">
              <h1>Productions</h1>
              <p className="quiet">Drop a film anywhere here to start another.</p>
              <div className={styles.end}>{actions}</div>
            </div>
            <Attention />
            <ul>
              {query.data.map((card) => (
                <Card
                  key={card.id}
                  card={card}
                  onRename={() => setRenaming(card)}
                  onCopy={() => setCopying(card)}
                  onRemove={() => setRemoving(card)}
                />
              ))}
            </ul>
          </div>
        )}
      </main>
      {isDragActive && <div className="dropveil">Drop the film to start a production</div>}
      <Suspense>
        {naming && <NewProduction onClose={() => setNaming(false)} />}
        {renaming && <RenameProduction card={renaming} onClose={() => setRenaming(null)} />}
        {copying && <CopyProduction card={copying} onClose={() => setCopying(null)} />}
        {removing && <RemoveProduction card={removing} onClose={() => setRemoving(null)} />}
      </Suspense>
    </div>
  );
}
