import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import { bytesLabel, durationLabel, exportable, problemLine } from '@mivvy/core';
import type { Deliverable, Master, Version } from '@mivvy/api';
import { useHistory } from '../../api/ledger.ts';
import { momentWords } from '../../parts/days.ts';
import { ExportVersions } from '../../parts/export-versions.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { VersionStamp } from '../../parts/stamp.tsx';
import { cutOf, versionName } from '../../parts/versions.ts';
import { ClientNotes } from './client-notes.tsx';
import { CompareMakings } from './compare-makings.tsx';
import { FileReport } from './file-report.tsx';
import { MadeBefore } from './made-before.tsx';
import { TrackingSentence } from './tracking-sentence.tsx';
import { WhatHappened } from './what-happened.tsx';

/** What keeps a deliverable from being handed over: its faults, its file on the disk, and that it is behind. */
function Warnings({ version, master }: { version: Version; master: Master | undefined }) {
  const planned = usePlanner()(version, master);
  const file = version.deliverable;
  const faults = planned?.troubles.filter((t) => t.severity === 'fault') ?? [];
  return (
    <>
      {version.standing === 'behind' && (
        <p className="warn">This file is older than the version: {version.behind.join(', ')}.</p>
      )}
      {file?.onDisk && (
        <p className={file.onDisk.code === 'comparing' ? 'warn mild' : 'warn fault'} role="alert">
          {problemLine(file.onDisk)}
        </p>
      )}
      {faults.map((t) => (
        <p key={t.code} className="warn fault">
          {t.sentence} {t.mend}
        </p>
      ))}
    </>
  );
}

/** The newest file: what it is, and what can be done with it. */
function NewestFile({ version, file }: { version: Version; file: Deliverable }) {
  const busy = version.standing === 'queued' || version.standing === 'making';
  return (
    <>
      <p className="mono name">{file.fileName}</p>
      <p className="quiet">
        {bytesLabel(file.bytes)}, made {momentWords(file.madeAt)} in {durationLabel(file.tookSeconds)}
      </p>
      <div className="actions">
        {!file.onDisk && (
          <>
            <Button variant="contained" href={`/api/deliverables/${file.id}/file`} download={file.fileName}>
              Download
            </Button>
            <Button
              variant="outlined"
              href={`/api/deliverables/${file.id}/file?inline=1`}
              target="_blank"
              rel="noreferrer"
            >
              Play the file
            </Button>
            {file.coverBeside && (
              <Button variant="outlined" href={`/api/deliverables/${file.id}/cover`} download>
                Its cover, .{file.coverBeside === 'png' ? 'png' : 'jpg'}
              </Button>
            )}
            {file.captionsBeside && (
              <Button variant="outlined" href={`/api/deliverables/${file.id}/captions`} download>
                Its captions, .{file.captionsBeside}
              </Button>
            )}
          </>
        )}
        {!busy && version.standing !== 'blocked' && version.standing !== 'passed' && (
          <ExportVersions variant="outlined" versions={[version]}>
            Export it again
          </ExportVersions>
        )}
      </div>
    </>
  );
}

/** One deliverable opened: where it is, what people said of it, what its file is, and what happened. */
export function Side({
  version,
  master,
  made,
}: {
  version: Version;
  master: Master | undefined;
  made: Deliverable[];
}) {
  const [comparing, setComparing] = useState<Deliverable | null>(null);
  const history = useHistory(version.id);
  const file = version.deliverable;
  const earlier = made.filter((d) => d.id !== file?.id);
  const framing = `/productions/${version.productionId}/framing/${version.id}`;
  const notes = history.data?.notes ?? [];
  return (
    <aside className="side" aria-label={versionName(version)}>
      <h2>{versionName(version)}</h2>
      <p className="stamped">
        <VersionStamp version={version} />
      </p>
      <TrackingSentence version={version} />
      <Warnings version={version} master={master} />
      {notes.length > 0 && master?.facts && (
        <>
          <h3>What people asked for</h3>
          <ClientNotes
            notes={notes}
            rate={master.facts.video.rate}
            kept={cutOf(version, master)?.kept}
            framing={framing}
          />
        </>
      )}
      {file ? (
        <>
          <NewestFile version={version} file={file} />
          <FileReport key={file.id} file={file} />
          <p className="mono quiet sum">SHA-256 {file.sha256}</p>
        </>
      ) : (
        <>
          <p className="quiet">No file has been made yet.</p>
          {exportable.includes(version.standing) && (
            <ExportVersions versions={[version]}>Export it</ExportVersions>
          )}
        </>
      )}
      {earlier.length > 0 && (
        <>
          <h3>Made before</h3>
          <MadeBefore earlier={earlier} onCompare={setComparing} />
        </>
      )}
      <p>
        <Link className="fix tall" to={framing}>
          Open its framing
        </Link>
      </p>
      <h3>What happened</h3>
      <WhatHappened happenings={history.data?.happenings ?? []} />
      {comparing && file && (
        <CompareMakings now={file} before={comparing} onClose={() => setComparing(null)} />
      )}
    </aside>
  );
}
