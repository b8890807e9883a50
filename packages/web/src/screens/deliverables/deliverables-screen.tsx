import Button from '@mui/material/Button';
import { format } from 'date-fns';
import { Link, useNavigate, useParams } from 'react-router';
import {
  bytesLabel,
  durationLabel,
  exportable,
  masterSeconds,
  problemLine,
  spansLabel,
  type CheckLine,
  type Rate,
} from '@mivvy/core';
import type { Deliverable, Master, Version } from '@mivvy/api';
import { useDeliverables, useReport } from '../../api/queries.ts';
import { ExportVersions } from '../../parts/export-versions.tsx';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { frameOf, Proof } from '../../parts/proof.tsx';
import { StandingStamp, standingWord } from '../../parts/stamp.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { versionName } from '../../parts/versions.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { BitrateChart } from './bitrate-chart.tsx';
import './deliverables.css';

/** What a version waits for, in words. */
function waitsFor(version: Version): string {
  switch (version.standing) {
    case 'blocked':
      return 'a fault to be mended';
    case 'at-fault':
      return 'a look at its faults';
    case 'to-make':
      return 'its export';
    case 'queued':
    case 'making':
      return 'the encoder';
    case 'passed':
      return 'nothing';
    case 'failed-check':
      return 'a look at its report';
    case 'failed':
      return 'another try';
    case 'comparing':
      return 'its sum to be taken';
    case 'behind':
    case 'changed-on-disk':
      return 'a new export';
  }
}

const shortSum = (sha256: string) => `${sha256.slice(0, 4)}…${sha256.slice(-2)}`;

/** A check report, line by line: wanted beside measured. */
function Report({ checks, rate }: { checks: readonly CheckLine[]; rate: Rate }) {
  return (
    <table className="report">
      <thead>
        <tr>
          <th>
            <span className="sr">Result</span>
          </th>
          <th>Measured from the file</th>
          <th>Wanted</th>
          <th>Found</th>
        </tr>
      </thead>
      <tbody>
        {checks.map((c) => (
          <tr key={c.id} className={c.ok ? '' : 'bad'}>
            <td>
              {c.ok ? (
                <span className="stamp pass" title="as wanted">
                  <i />
                  <span className="sr">passed</span>
                </span>
              ) : (
                <span className="stamp fail" title="not as wanted">
                  <i />
                  <span className="sr">failed</span>
                </span>
              )}
            </td>
            <td>{c.name}</td>
            <td className="quiet">{c.expected}</td>
            <td>
              {c.measured}
              {c.spans && <span className="where">at {spansLabel(c.spans, rate)}</span>}
              {c.mend && <span className="mend">{c.mend}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What was measured from a file: it is asked for when it is looked at. */
function FileReport({ file }: { file: Deliverable }) {
  const query = useReport(file.id);
  if (query.isPending) return <Loading what="the check report" />;
  if (!query.data) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  return (
    <>
      <a
        className="fix tall"
        href={`/api/deliverables/${file.id}/report.html`}
        target="_blank"
        rel="noreferrer"
      >
        The report as a page
      </a>
      <Report checks={query.data.checks} rate={query.data.measured.video.rate} />
      <h3 className="quiet" style={{ fontSize: 12, margin: '14px 0 4px', fontWeight: 600 }}>
        Bitrate, Mbit/s in each second
      </h3>
      <BitrateChart kbps={query.data.measured.video.kbpsBySecond} ceiling={file.ceilingKbps ?? undefined} />
    </>
  );
}

function Side({
  version,
  master,
  made,
}: {
  version: Version;
  master: Master | undefined;
  made: Deliverable[];
}) {
  const file = version.deliverable;
  const planned = usePlanner()(version, master);
  const busy = version.standing === 'queued' || version.standing === 'making';
  const earlier = made.filter((d) => d.id !== file?.id);
  const faults = planned?.troubles.filter((t) => t.severity === 'fault') ?? [];
  return (
    <aside className="side" aria-label={versionName(version)}>
      <h2 style={{ fontSize: 17 }}>{versionName(version)}</h2>
      <p style={{ margin: '4px 0 8px' }}>
        <StandingStamp standing={version.standing} />
      </p>
      {version.standing === 'behind' && (
        <p className="warn" style={{ marginBottom: 10 }}>
          This file is older than the version: {version.behind.join(', ')}.
        </p>
      )}
      {file?.onDisk && (
        <p
          className={file.onDisk.code === 'comparing' ? 'warn mild' : 'warn fault'}
          role="alert"
          style={{ marginBottom: 10 }}
        >
          {problemLine(file.onDisk)}
        </p>
      )}
      {faults.map((t) => (
        <p key={t.code} className="warn fault" style={{ marginBottom: 10 }}>
          {t.sentence} {t.mend}
        </p>
      ))}
      {file ? (
        <>
          <p className="mono" style={{ overflowWrap: 'anywhere' }}>
            {file.fileName}
          </p>
          <p className="quiet" style={{ margin: '3px 0 10px' }}>
            {bytesLabel(file.bytes)}, made {format(new Date(file.madeAt), 'd MMM yyyy, HH:mm')} in{' '}
            {durationLabel(file.tookSeconds)}
          </p>
          <div style={{ display: 'flex', gap: 10, marginBottom: 12, flexWrap: 'wrap' }}>
            {!file.onDisk && (
              <Button variant="contained" href={`/api/deliverables/${file.id}/file`} download={file.fileName}>
                Download
              </Button>
            )}
            {!file.onDisk && (
              <Button
                variant="outlined"
                href={`/api/deliverables/${file.id}/file?inline=1`}
                target="_blank"
                rel="noreferrer"
              >
                Play the file
              </Button>
            )}
            {!busy && version.standing !== 'blocked' && version.standing !== 'passed' && (
              <ExportVersions variant="outlined" versions={[version]}>
                Export it again
              </ExportVersions>
            )}
          </div>
          <FileReport key={file.id} file={file} />
          <p className="mono quiet" style={{ fontSize: 11, overflowWrap: 'anywhere', marginTop: 10 }}>
            SHA-256 {file.sha256}
          </p>
          {earlier.length > 0 && (
            <>
              <h3 className="quiet" style={{ fontSize: 12, margin: '14px 0 4px', fontWeight: 600 }}>
                Made before
              </h3>
              <ul>
                {earlier.map((d) => (
                  <li
                    key={d.id}
                    style={{
                      display: 'flex',
                      justifyContent: 'space-between',
                      gap: 10,
                      minHeight: 32,
                      alignItems: 'center',
                    }}
                  >
                    <span>
                      {format(new Date(d.madeAt), 'd MMM, HH:mm')},{' '}
                      <span className="mono">{shortSum(d.sha256)}</span>
                    </span>
                    {d.onDisk ? (
                      <span className="quiet" title={problemLine(d.onDisk)}>
                        {d.onDisk.code === 'file-gone'
                          ? 'no longer there'
                          : d.onDisk.code === 'comparing'
                            ? 'being compared'
                            : 'changed on disk'}
                      </span>
                    ) : (
                      <a className="fix tall" href={`/api/deliverables/${d.id}/file`} download={d.fileName}>
                        Download
                      </a>
                    )}
                  </li>
                ))}
              </ul>
            </>
          )}
        </>
      ) : (
        <>
          <p className="quiet" style={{ marginBottom: 12 }}>
            No file has been made yet.
          </p>
          {exportable.includes(version.standing) && (
            <ExportVersions versions={[version]}>Export it</ExportVersions>
          )}
        </>
      )}
      <p style={{ marginTop: 8 }}>
        <Link className="fix tall" to={`/productions/${version.productionId}/framing/${version.id}`}>
          Open its framing
        </Link>
      </p>
    </aside>
  );
}

/** Deliverables: one list of everything owed, where it stands, and the proof. */
export function DeliverablesScreen() {
  const production = useThisProduction();
  const { versionId } = useParams();
  const navigate = useNavigate();
  const query = useDeliverables(production.id);
  const version =
    production.versions.find((v) => v.id === versionId) ??
    production.versions.find((v) => v.deliverable) ??
    production.versions[0];
  if (production.versions.length === 0)
    return (
      <Empty
        title="Nothing is owed yet"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            Choose places on the proof sheet
          </Link>
        }
      >
        Each version becomes one file.
      </Empty>
    );
  if (query.isPending) return <Loading what="the deliverables" />;
  if (query.isError) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  const count = (...standings: Version['standing'][]) =>
    production.versions.filter((v) => standings.includes(v.standing)).length;
  const behind = production.versions.filter((v) => v.standing === 'behind');
  const select = (v: Version) =>
    void navigate(`/productions/${production.id}/deliverables/${v.id}`, { replace: true });
  const faults = count('failed', 'failed-check', 'blocked', 'at-fault', 'changed-on-disk');
  return (
    <div className="ledger">
      <div className="main">
        <div className="counts">
          <span>
            <b>{production.versions.length}</b>deliverables
          </span>
          <span style={{ color: 'var(--moss)' }}>
            <b>{count('passed')}</b>passed
          </span>
          <span style={{ color: 'var(--teal)' }}>
            <b>{count('to-make', 'queued', 'making')}</b>to make
          </span>
          {behind.length > 0 && (
            <span style={{ color: 'var(--ochre)' }}>
              <b>{behind.length}</b>behind
            </span>
          )}
          {faults > 0 && (
            <span style={{ color: 'var(--brick)' }}>
              <b>{faults}</b>at fault
            </span>
          )}
          {behind.length > 0 && (
            <span className="end">
              <ExportVersions variant="outlined" versions={behind}>
                Export what is behind ({behind.length})
              </ExportVersions>
            </span>
          )}
        </div>
        <table>
          <thead>
            <tr>
              <th>
                <span className="sr">Picture</span>
              </th>
              <th>Deliverable</th>
              <th>Standing</th>
              <th>Waits for</th>
              <th>File</th>
              <th>Checksum</th>
            </tr>
          </thead>
          <tbody>
            {production.versions.map((v) => {
              const master = production.masters.find((m) => m.id === v.masterId);
              const frame = frameOf(v, master);
              const k = Math.min(64 / frame.width, 48 / frame.height);
              return (
                <tr
                  key={v.id}
                  className={v.id === version?.id ? 'on' : ''}
                  onClick={() => select(v)}
                  data-placement={v.placementId}
                >
                  <td>
                    <div className="thumb">
                      <div style={{ width: frame.width * k, height: frame.height * k }}>
                        <Proof version={v} master={master} overlays={{ blocked: false, margin: false }} />
                      </div>
                    </div>
                  </td>
                  <td>
                    <button
                      className="fix"
                      style={{
                        color: 'inherit',
                        textDecoration: 'none',
                        fontWeight: 650,
                        fontSize: 14,
                        minHeight: 24,
                        textAlign: 'left',
                      }}
                      onClick={() => select(v)}
                      aria-pressed={v.id === version?.id}
                      aria-label={`${versionName(v)}: ${standingWord(v.standing)}`}
                    >
                      {versionName(v)}
                    </button>
                    <br />
                    <span className="quiet">
                      {master?.name}
                      {master?.facts && `, ${durationLabel(masterSeconds(master.facts))}`}
                    </span>
                  </td>
                  <td>
                    <StandingStamp standing={v.standing} />
                  </td>
                  <td className={v.standing === 'passed' ? 'quiet' : ''}>{waitsFor(v)}</td>
                  <td className="mono">
                    {v.deliverable ? (
                      bytesLabel(v.deliverable.bytes)
                    ) : (
                      <span className="quiet">not made yet</span>
                    )}
                  </td>
                  <td className="mono" title={v.deliverable?.sha256}>
                    {v.deliverable && shortSum(v.deliverable.sha256)}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {version && (
        <Side
          version={version}
          master={production.masters.find((m) => m.id === version.masterId)}
          made={query.data.filter((d) => d.versionId === version.id)}
        />
      )}
    </div>
  );
}
