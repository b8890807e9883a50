import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import LinearProgress from '@mui/material/LinearProgress';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { allPlacements } from '@mivvy/core';
import { foreignCheckSchema, type ForeignCheck } from '@mivvy/api';
import { problemOf, sendFile } from '../../api/client.ts';
import { useSpecBook } from '../../api/queries.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { Report } from './report-lines.tsx';
import styles from './check-foreign.module.css';

/** What a file is held against: a version of this production with its master, or a placement alone. */
function useAgainst(): { value: string; name: string }[] {
  const production = useThisProduction();
  const book = useSpecBook().data;
  const masterOf = new Map(production.masters.map((m) => [m.id, m.name]));
  return [
    ...production.versions
      .filter((v) => v.placement)
      .map((v) => ({
        value: `version=${v.id}`,
        name: `${v.tag} ${versionName(v)}, with ${masterOf.get(v.masterId) ?? 'its master'}`,
      })),
    ...allPlacements(book?.outlets ?? []).map(({ outlet, placement }) => ({
      value: `placement=${placement.id}`,
      name: `${outlet.name}, ${placement.name}, without a master`,
    })),
  ];
}

/** What was found of the file, and the report as a page to keep. */
function Found({ found }: { found: ForeignCheck }) {
  const url = useMemo(() => URL.createObjectURL(new Blob([found.page], { type: 'text/html' })), [found]);
  useEffect(() => () => URL.revokeObjectURL(url), [url]);
  const failed = found.checks.filter((line) => !line.ok).length;
  return (
    <>
      <p>
        <Stamp shape={found.passed ? 'pass' : 'fail'}>{found.passed ? 'Passed' : 'Failed its check'}</Stamp>{' '}
        <span className="mono">{found.file}</span> for {found.place}: {found.checks.length} things looked at,{' '}
        {failed === 0 ? 'all as wanted' : `${failed} not as wanted`}.{' '}
        <a className="fix" href={url} download={`${found.file}.report.html`}>
          Keep the report as a page
        </a>
      </p>
      <Report checks={[...found.checks].sort((a, b) => Number(a.ok) - Number(b.ok))} rate={found.rate} />
    </>
  );
}

function ForeignDialog({ onClose }: { onClose: () => void }) {
  const choices = useAgainst();
  const [against, setAgainst] = useState(choices[0]?.value ?? '');
  const leaving = useRef(new AbortController());
  useEffect(() => {
    const leave = new AbortController();
    leaving.current = leave;
    return () => leave.abort();
  }, []);
  const check = useMutation({
    mutationFn: (file: File) =>
      sendFile(
        foreignCheckSchema,
        'POST',
        `/checks?${against}&name=${encodeURIComponent(file.name)}`,
        file,
        leaving.current.signal,
      ),
  });
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    maxFiles: 1,
    disabled: check.isPending,
    onDrop: ([file]) => file && check.mutate(file),
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby="foreign-title">
      <div {...getRootProps()} className={isDragActive ? styles.over : ''}>
        <DialogContent className={styles.content}>
          <h2 id="foreign-title">Check a file that was made elsewhere</h2>
          <input {...getInputProps()} data-testid="foreign-chooser" />
          <TextField
            select
            label="Held against"
            value={against}
            disabled={check.isPending}
            onChange={(event) => {
              setAgainst(event.target.value);
              check.reset();
            }}
          >
            {choices.map(({ value, name }) => (
              <MenuItem key={value} value={value}>
                {name}
              </MenuItem>
            ))}
          </TextField>
          {check.isPending && (
            <div role="status">
              <p className="quiet">Measuring {check.variables.name} …</p>
              <LinearProgress aria-label={`Measuring ${check.variables.name}`} />
            </div>
          )}
          {check.isError && <ProblemNote problem={problemOf(check.error)} />}
          {check.data && <Found found={check.data} />}
          {check.isIdle && (
            <p className="quiet">Drop the file here, or choose it. It is measured and not kept.</p>
          )}
        </DialogContent>
      </div>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Close</Button>
        <Button variant="contained" disabled={check.isPending || !against} onClick={open}>
          Choose the file
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** Checks a file that was made elsewhere, for any place or against any version of this production. */
export function CheckForeign() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Check a file made elsewhere</Button>
      {isOpen && <ForeignDialog onClose={() => setOpen(false)} />}
    </>
  );
}
