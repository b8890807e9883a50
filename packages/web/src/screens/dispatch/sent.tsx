import { useSnackbar } from 'notistack';
import { listWords, problemLine } from '@mivvy/core';
import type { Dispatch } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useDispatches, useSendAgain } from '../../api/ledger.ts';
import { momentWords } from '../../parts/days.ts';
import { Loading } from '../../parts/notices.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import styles from './dispatch.module.css';

type Shape = Parameters<typeof Stamp>[0]['shape'];

/** How each state of a dispatch is stamped. */
const states: Readonly<Record<Dispatch['state'], { shape: Shape; word: string }>> = {
  waiting: { shape: 'idle', word: 'Waiting' },
  sending: { shape: 'idle', word: 'On its way' },
  arrived: { shape: 'pass', word: 'Arrived' },
  live: { shape: 'pass', word: 'Live' },
  'taken-down': { shape: 'fail', word: 'Taken down' },
  refused: { shape: 'fail', word: 'Refused' },
  failed: { shape: 'fail', word: 'Not sent' },
  cancelled: { shape: 'idle', word: 'Stopped' },
};
const canGoAgain: readonly Dispatch['state'][] = ['taken-down', 'refused', 'failed', 'cancelled'];

/** One consignment: where it went, when, and the proof. */
function Line({ dispatch, onAgain }: { dispatch: Dispatch; onAgain: () => void }) {
  const { shape, word } = states[dispatch.state];
  const { receipt } = dispatch;
  return (
    <li>
      <p>
        <Stamp shape={shape}>{word}</Stamp> <b>{dispatch.to}</b>{' '}
        <span className="mono quiet">{dispatch.fileName}</span>
      </p>
      <p className="quiet">
        {momentWords(dispatch.createdAt)}
        {dispatch.by && `, by ${dispatch.by}`}
        {dispatch.attempts > 1 && `, ${dispatch.attempts} tries`}
        {dispatch.publishAt && `, to be shown ${momentWords(dispatch.publishAt)}`}
      </p>
      {receipt && (
        <p>
          Receipt <span className="mono">{receipt.receipt}</span>, {momentWords(receipt.at)}; their copy{' '}
          <span className="mono" title={receipt.sha256}>
            {receipt.sha256.slice(0, 12)}…
          </span>{' '}
          is ours
          {receipt.beside.length > 0 &&
            `, with ${listWords(receipt.beside.map((each) => (each.kind === 'cover' ? 'its cover' : 'its captions')))}`}
          .
          {receipt.address && (
            <>
              {' '}
              <a className="fix tall" href={receipt.address} target="_blank" rel="noreferrer">
                See it there
              </a>
            </>
          )}
        </p>
      )}
      {dispatch.problem && <p className="warn fault">{problemLine(dispatch.problem)}</p>}
      {canGoAgain.includes(dispatch.state) && (
        <button className="fix tall" onClick={onAgain}>
          Send it again
        </button>
      )}
    </li>
  );
}

/** Everything that was handed over, newest first, each with its receipt. */
export function Sent() {
  const production = useThisProduction();
  const dispatches = useDispatches(production.id);
  const again = useSendAgain(production.id);
  const { enqueueSnackbar } = useSnackbar();
  if (dispatches.isPending) return <Loading what="what was handed over" />;
  if (!dispatches.data?.length) return null;
  return (
    <section aria-label="Handed over">
      <h2>Handed over</h2>
      <ul className={styles.sent}>
        {dispatches.data.map((dispatch) => (
          <Line
            key={dispatch.id}
            dispatch={dispatch}
            onAgain={() =>
              again.mutate(dispatch.id, {
                onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
              })
            }
          />
        ))}
      </ul>
    </section>
  );
}
