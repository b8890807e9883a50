import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { bytesLabel, countWords } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useDispatches, useDispatchFiles, usePackFolder } from '../../api/ledger.ts';
import { Choice } from '../../parts/choice.tsx';
import { EditableText } from '../../parts/editable-text.tsx';
import { StageStamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { useWho } from '../../parts/who.ts';
import { readMoment } from './moment.ts';
import styles from './dispatch.module.css';

/** The ways out of the house. */
const ways = {
  outlet: {
    name: 'to their outlets',
    more: 'Each file by its outlet’s upload interface. The outlets here are stand-ins that come with Mivvy.',
  },
  folder: {
    name: 'into a watched folder',
    more: 'Each file whole, under its name, for another program to take.',
  },
  zip: { name: 'as one package', more: 'Films, check reports, a manifest and checksums, in a ZIP archive.' },
  packed: { name: 'as a package in a folder', more: 'The same, written into a folder.' },
} as const;
type Way = keyof typeof ways;
const isWay = (way: string): way is Way => way in ways;

/** Files that can go out: they passed, and are what they should be. */
const ready = (version: Version): boolean => version.standing === 'passed' && version.deliverable !== null;

/** What is about to go, as a sentence whose underlined parts can be changed. */
export function Consignment() {
  const production = useThisProduction();
  const all = production.versions.filter(ready);
  const dispatches = useDispatches(production.id);
  const out = new Set(
    (dispatches.data ?? [])
      .filter((each) => ['waiting', 'sending', 'arrived', 'live'].includes(each.state))
      .map((each) => each.sha256),
  );
  const usual = all.filter(
    (v) => v.stage === 'approved' || (v.stage === 'passed' && !out.has(v.deliverable!.sha256)),
  );
  const [left, setLeft] = useState<Readonly<Record<string, boolean>>>({});
  const goes = all.filter((v) => left[v.id] ?? usual.includes(v));
  const [way, setWay] = useState<Way>('outlet');
  const [folder, setFolder] = useState('');
  const [publishAt, setPublishAt] = useState<string | null>(null);
  const [who, setWho] = useWho();
  const send = useDispatchFiles(production.id);
  const pack = usePackFolder(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const ids = goes.map((v) => v.deliverable!.id);
  const bytes = goes.reduce((sum, v) => sum + v.deliverable!.bytes, 0);
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const needsFolder = way === 'folder' || way === 'packed';
  const unapproved = goes.filter((v) => v.stage !== 'approved');
  const onError = (error: unknown) => {
    const { sentence, mend } = problemOf(error);
    enqueueSnackbar(`${sentence} ${mend}`, { variant: 'error' });
  };
  const go = () => {
    if (way === 'packed')
      return pack.mutate(
        { deliverableIds: ids, folder },
        { onSuccess: ({ path }) => enqueueSnackbar(`The package lies at ${path}.`), onError },
      );
    if (way === 'zip') return;
    send.mutate(
      {
        deliverableIds: ids,
        connector: way,
        ...(way === 'folder' ? { folder } : {}),
        ...(way === 'outlet' && publishAt ? { publishAt, zone } : {}),
      },
      { onSuccess: () => setLeft({}), onError },
    );
  };
  return (
    <section className={styles.consignment} aria-label="Consignment">
      <h2>What goes out</h2>
      <p className={styles.sentence}>
        <b>{countWords(goes.length, 'file')}</b> ({bytesLabel(bytes)}){' '}
        <Choice
          label="How they go"
          value={way}
          shown={ways[way].name}
          options={Object.entries(ways).map(([value, { name, more }]) => ({ value, name, more }))}
          onChange={(value) => isWay(value) && setWay(value)}
        />
        {needsFolder && (
          <>
            {' '}
            at{' '}
            <EditableText
              label="Folder"
              value={folder}
              shown={folder ? <span className="mono">{folder}</span> : 'a folder to be named'}
              hint="The whole path on this machine"
              wrong={(text) => (/^(\/|[A-Za-z]:)/.test(text.trim()) ? undefined : 'From its root on')}
              onChange={setFolder}
            />
          </>
        )}
        {way === 'outlet' && (
          <>
            , to be shown{' '}
            <EditableText
              label="When they are shown"
              value={publishAt ? new Date(publishAt).toLocaleString('en-GB').slice(0, 17) : ''}
              shown={
                publishAt
                  ? `${new Date(publishAt).toLocaleString('en-GB').slice(0, 17)} (${zone})`
                  : 'at once'
              }
              hint={`2 Jun 18:00, in ${zone}; empty: at once`}
              wrong={(text) =>
                text.trim() === '' || readMoment(text) ? undefined : 'No moment to come that can be read'
              }
              onChange={(text) => setPublishAt(text.trim() === '' ? null : readMoment(text)!)}
            />
          </>
        )}
        . Sent by{' '}
        <EditableText
          label="Who sends"
          value={who}
          shown={who || 'nobody named'}
          wrong={(text) => (text.length > 60 ? 'at most 60 letters' : undefined)}
          onChange={setWho}
        />
        .
      </p>
      <ul className={styles.goes}>
        {all.map((v) => (
          <li key={v.id}>
            <label>
              <input
                type="checkbox"
                checked={goes.includes(v)}
                onChange={(event) => setLeft({ ...left, [v.id]: event.target.checked })}
              />
              <b>{versionName(v)}</b>
              <span className="mono quiet clip">{v.deliverable!.fileName}</span>
              <StageStamp stage={v.stage} />
            </label>
          </li>
        ))}
      </ul>
      {all.length === 0 && (
        <p className="warn mild">No file is ready: each one is behind, at fault, or not made yet.</p>
      )}
      {unapproved.length > 0 && (
        <p className="quiet">
          Not approved by anybody yet: {unapproved.map(versionName).join(', ')}. They can go all the same.
        </p>
      )}
      <p>
        {way === 'zip' ? (
          <Button
            variant="contained"
            disabled={ids.length === 0}
            href={`/api/productions/${production.id}/package?files=${ids.join(',')}`}
            download
          >
            Fetch the package
          </Button>
        ) : (
          <Button
            variant="contained"
            disabled={ids.length === 0 || (needsFolder && !folder) || send.isPending || pack.isPending}
            onClick={go}
          >
            {way === 'packed' ? 'Write the package' : `Hand ${countWords(ids.length, 'file')} over`}
          </Button>
        )}
      </p>
    </section>
  );
}
