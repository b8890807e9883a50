import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useState, type ReactNode } from 'react';
import { countWords, exportable, oneShot, problemLine, shotIndexAt, type Trouble } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../api/client.ts';
import { useExport } from '../api/changes.ts';
import { usePlanner } from './seen.tsx';
import styles from './export-versions.module.css';
import { useThisProduction } from './this-production.ts';
import { troubleWord } from './troubles.ts';
import { versionName } from './versions.ts';

/** Versions that can be exported and are not up to date. */
export const readyToExport = (versions: readonly Version[]): Version[] =>
  versions.filter((v) => exportable.includes(v.standing));

interface FaultyVersion {
  version: Version;
  faults: string[];
}

/** The faults of some versions, named as a person would: what, and in which shot. */
function useFaults(): (versions: readonly Version[]) => FaultyVersion[] {
  const production = useThisProduction();
  const plan = usePlanner();
  return (versions) =>
    versions.flatMap((version) => {
      const master = production.masters.find((m) => m.id === version.masterId);
      const word = (t: Trouble) => {
        const keep = master?.keeps.find((k) => k.id === t.keepId);
        return keep
          ? `${troubleWord(t, keep.name)}, shot ${shotIndexAt(master?.shots ?? oneShot, t.span.from) + 1}`
          : t.sentence.replace(/\.$/, '');
      };
      const faults = (plan(version, master)?.troubles ?? []).filter((t) => t.severity === 'fault').map(word);
      return faults.length ? [{ version, faults: [...new Set(faults)] }] : [];
    });
}

/** Says what is wrong with versions that are about to be exported; whoever goes on knows it. */
function FaultsNamed({
  faulty,
  count,
  onExport,
  onClose,
}: {
  faulty: readonly FaultyVersion[];
  count: number;
  onExport: () => void;
  onClose: () => void;
}) {
  return (
    <Dialog open onClose={onClose} aria-labelledby="faults-title">
      <DialogContent>
        <h2 id="faults-title" className={styles.title}>
          {countWords(faulty.length, 'version')} {faulty.length === 1 ? 'is' : 'are'} at fault
        </h2>
        <ul className={styles.list}>
          {faulty.map(({ version, faults }) => (
            <li key={version.id}>
              <span className="letter">{version.tag}</span> <b>{versionName(version)}</b>
              <p className="quiet">{faults.join('; ')}.</p>
            </li>
          ))}
        </ul>
        <p className="quiet">The files are made as the proofs show them, faults and all.</p>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not now</Button>
        <Button variant="contained" onClick={onExport}>
          {count === 1 ? 'Export it all the same' : `Export ${count} all the same`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** A button that queues versions for export, after their faults have been named. */
export function ExportVersions({
  versions,
  children,
  variant = 'contained',
}: {
  versions: readonly Version[];
  children: ReactNode;
  variant?: 'contained' | 'outlined';
}) {
  const production = useThisProduction();
  const exporting = useExport(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const faultsOf = useFaults();
  const [faulty, setFaulty] = useState<readonly FaultyVersion[] | null>(null);
  if (versions.length === 0) return null;
  const run = () => {
    setFaulty(null);
    exporting.mutate(
      versions.map((v) => v.id),
      {
        onSuccess: (jobs) => enqueueSnackbar(`${countWords(jobs.length, 'file')} in the queue.`),
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  };
  const ask = () => {
    const found = faultsOf(versions);
    if (found.length) setFaulty(found);
    else run();
  };
  return (
    <>
      <Button variant={variant} disabled={exporting.isPending} onClick={ask}>
        {children}
      </Button>
      {faulty && (
        <FaultsNamed faulty={faulty} count={versions.length} onExport={run} onClose={() => setFaulty(null)} />
      )}
    </>
  );
}
