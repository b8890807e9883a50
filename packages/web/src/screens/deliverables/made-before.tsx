import { useSnackbar } from 'notistack';
import { problemLine } from '@mivvy/core';
import type { Deliverable } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useRestore } from '../../api/ledger.ts';
import { momentWords } from '../../parts/days.ts';
import styles from './history.module.css';
import { shortSum } from './short-sum.ts';

/** What is wrong with an earlier file, in a word or two. */
const wrongWords: Readonly<Record<string, string>> = {
  'file-gone': 'no longer there',
  cleared: 'cleared, evidence kept',
  comparing: 'being compared',
};

/** Files that were made of a version before: each can be fetched, looked at beside today's, and its framing put back. */
export function MadeBefore({
  earlier,
  onCompare,
}: {
  earlier: readonly Deliverable[];
  onCompare: (file: Deliverable) => void;
}) {
  const restore = useRestore();
  const { enqueueSnackbar } = useSnackbar();
  return (
    <ul className={styles.made}>
      {earlier.map((file) => (
        <li key={file.id}>
          <span>
            {momentWords(file.madeAt)}, <span className="mono">{shortSum(file.sha256)}</span>
          </span>
          {file.onDisk ? (
            <span className="quiet" title={problemLine(file.onDisk)}>
              {wrongWords[file.onDisk.code] ?? 'changed on disk'}
            </span>
          ) : (
            <span className={styles.links}>
              <button className="fix tall" onClick={() => onCompare(file)}>
                Compare
              </button>
              <button
                className="fix tall"
                onClick={() =>
                  restore.mutate(file.id, {
                    onSuccess: () =>
                      enqueueSnackbar('Its framing holds again. Undo in Framing takes it back.'),
                    onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }),
                  })
                }
              >
                Put back
              </button>
              <a className="fix tall" href={`/api/deliverables/${file.id}/file`} download={file.fileName}>
                Download
              </a>
            </span>
          )}
        </li>
      ))}
    </ul>
  );
}
