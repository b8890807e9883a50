import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import LinearProgress from '@mui/material/LinearProgress';
import { useSnackbar } from 'notistack';
import { useEffect, useRef, useState } from 'react';
import { NavLink, useNavigate, useParams } from 'react-router';
import {
  aspectLabel,
  bytesLabel,
  channelsLabel,
  codecLabel,
  decibelLabel,
  durationLabel,
  frameToTimecode,
  masterNotes,
  masterSeconds,
  masterSummary,
  oneShot,
  problemLine,
  rateLabel,
  shotIndexAt,
  shotSpans,
  sizeLabel,
} from '@mivvy/core';
import type { Job, Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useMendMaster, useRemoveMaster } from '../../api/queries.ts';
import { sendFilm } from '../../api/uploads.ts';
import { ArrivingList, DropArea, InboxDialog } from '../../parts/bring-in.tsx';
import { Empty, ProblemNote } from '../../parts/notices.tsx';
import { PlacesDialog } from '../../parts/places-dialog.tsx';
import { KeepRow, Score, ShotRow } from '../../parts/score.tsx';
import { WholeMaster } from '../../parts/proof.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { Transport } from '../../parts/transport.tsx';
import { useDesk, useHead } from '../../play/use-desk.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { KeepSurface } from './keep-surface.tsx';
import { KeepsPanel } from './keeps-panel.tsx';
import { SharedOverlay } from './shared-overlay.tsx';
import { SharedPanel, sharedWindows } from './shared-panel.tsx';
import { ShotsPanel } from './shots-panel.tsx';
import './masters.css';

type Tab = 'facts' | 'shots' | 'keeps' | 'shared';
const tabs: readonly { id: Tab; name: string }[] = [
  { id: 'facts', name: 'Facts' },
  { id: 'shots', name: 'Shots' },
  { id: 'keeps', name: 'Keeps' },
  { id: 'shared', name: 'Common area' },
];

/** The stamp of a master in the list. */
function MasterStamp({ master, job }: { master: Master; job: Job | undefined }) {
  if (master.file !== 'same')
    return <Stamp shape="fail">{master.file === 'gone' ? 'Not on the disk' : 'Changed on disk'}</Stamp>;
  if (master.state === 'failed')
    return <Stamp shape="fail">{master.unread ? 'Not read through' : 'Cannot be used'}</Stamp>;
  if (master.unread && !job) return <Stamp shape="look">Not read through</Stamp>;
  if (job) return <Stamp shape="idle">{job.stage || 'waiting to be read'}</Stamp>;
  const looks = master.facts ? masterNotes(master.facts).filter((n) => n.weight === 'look').length : 0;
  return looks ? <Stamp shape="look">{looks} to know</Stamp> : <Stamp shape="pass">Read</Stamp>;
}

function colourWords(master: Master): string {
  const { colour, hdr, bitDepth } = master.facts!.video;
  if (hdr !== 'none') return `${hdr === 'pq' ? 'HDR, PQ' : 'HDR, HLG'}, ${bitDepth} bit`;
  const tags = new Set([colour.primaries, colour.transfer, colour.matrix]);
  const name = tags.size === 1 ? [...tags][0] : null;
  return `${name === 'bt709' ? 'BT.709' : (name ?? 'not fully tagged')}, ${bitDepth} bit`;
}

/** What is known of a master, in the order that a producer looks. */
function Facts({ master, job }: { master: Master; job: Job | undefined }) {
  if (!master.facts) return master.problem ? <ProblemNote problem={master.problem} /> : null;
  const { video, audio } = master.facts;
  const loudness = audio?.loudness;
  const rows: [string, string][] = [
    ['Size', `${sizeLabel(video.displayed)} (${aspectLabel(video.displayed)})`],
    ['Length', `${durationLabel(masterSeconds(master.facts))}, ${video.frames} frames`],
    ['Rate', `${rateLabel(video.rate)} a second${video.rateVaries ? ', varies' : ''}`],
    [
      'Picture',
      `${codecLabel(video.codec)}${video.profile ? ` ${video.profile}` : ''}, ${video.pixelFormat}`,
    ],
    ['Colour', colourWords(master)],
    [
      'Sound',
      audio
        ? `${codecLabel(audio.codec)}, ${channelsLabel(audio.channels)}, ${audio.sampleRate / 1000} kHz`
        : 'none',
    ],
    ...(audio
      ? [
          [
            'Loudness',
            loudness
              ? loudness.integratedLufs === null
                ? 'silence'
                : `${decibelLabel(loudness.integratedLufs)} LUFS, peak ${loudness.truePeakDbtp === null ? 'not known' : `${decibelLabel(loudness.truePeakDbtp)} dBTP`}`
              : 'being measured',
          ] as [string, string],
        ]
      : []),
    ['File', `${bytesLabel(master.facts.bytes)}, ${master.fileName}`],
    ['Came by', master.origin === 'upload' ? 'upload' : 'the inbox folder'],
  ];
  return (
    <>
      {master.problem && <ProblemNote problem={master.problem} />}
      <dl className="facts">
        {rows.map(([term, value]) => [<dt key={term}>{term}</dt>, <dd key={`${term}-value`}>{value}</dd>])}
      </dl>
      {master.sha256 && (
        <p className="mono quiet" style={{ marginTop: 8, overflowWrap: 'anywhere', fontSize: 11 }}>
          SHA-256 {master.sha256}
        </p>
      )}
      {job && job.state === 'running' && (
        <div style={{ marginTop: 12 }}>
          <p className="quiet">{job.stage}</p>
          <LinearProgress variant="determinate" value={job.fraction * 100} aria-label="Reading the master" />
        </div>
      )}
    </>
  );
}

/** What is wrong with a master's file, or with the reading of it, and the way on. */
function FileNote({ master, productionId }: { master: Master; productionId: string }) {
  const mending = useMendMaster(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const mend = (way: 'read' | 'renew') =>
    mending.mutate(
      { id: master.id, way },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  const again = (
    <button className="fix tall" disabled={mending.isPending} onClick={() => mend('read')}>
      Read it again
    </button>
  );
  if (master.file === 'gone')
    return (
      <p className="warn fault" role="alert" style={{ marginBottom: 12 }}>
        The film is no longer where it was, so nothing can be made from it. Put it back, or replace it below.
      </p>
    );
  if (master.file === 'changed') {
    return (
      <p className="warn fault" role="alert" style={{ marginBottom: 12 }}>
        The film was changed on the disk since it was brought in, so nothing is made from it.{' '}
        <button className="fix tall" disabled={mending.isPending} onClick={() => mend('renew')}>
          Take the changed film
        </button>{' '}
        in its place: framing and keeps carry over.
      </p>
    );
  }
  if (master.unread)
    return (
      <p className="warn" style={{ marginBottom: 12 }}>
        It has not been read through, so nothing can be exported from it. {again}
      </p>
    );
  return null;
}

/** Masters: the list with its facts, and the chosen film at work. */
export function MastersScreen() {
  const production = useThisProduction();
  const { masterId } = useParams();
  const navigate = useNavigate();
  const desk = useDesk();
  const [inboxOpen, setInboxOpen] = useState(false);
  const [placesOpen, setPlacesOpen] = useState(false);
  const [removing, setRemoving] = useState(false);
  const removal = useRemoveMaster(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const master = production.masters.find((m) => m.id === masterId) ?? production.masters[0];
  const jobOf = (id: string) => production.jobs.find((j) => j.subjectId === id);
  const usable = master?.state !== 'failed' && !!master?.facts;
  useEffect(() => {
    if (usable) desk.lead(master.id);
  }, [desk, usable, master?.id]);
  const base = `/productions/${production.id}`;
  const notes = master?.facts ? masterNotes(master.facts) : [];
  const displayed = master?.facts?.video.displayed;
  const mine = production.versions.filter((v) => v.masterId === master?.id);
  const madeOf = mine.length;
  const [tab, setTab] = useState<Tab>('facts');
  const [keepId, setKeepId] = useState<string | null>(null);
  const [drawing, setDrawing] = useState(false);
  const [hiddenIds, setHiddenIds] = useState<readonly string[]>([]);
  const [replacing, setReplacing] = useState(false);
  const replacement = useRef<HTMLInputElement>(null);
  const head = useHead();
  // All versions are shown until some are put aside, also those that are added later.
  const sharedIds = mine.map((v) => v.id).filter((id) => !hiddenIds.includes(id));
  const setSharedIds = (ids: string[]) =>
    setHiddenIds(mine.map((v) => v.id).filter((id) => !ids.includes(id)));
  const shots = master?.shots ?? oneShot;
  const frames = master?.facts?.video.frames ?? 1;
  const shot = shotSpans(shots, frames)[shotIndexAt(shots, Math.min(head.frame, frames - 1))];
  const shared =
    usable && tab === 'shared'
      ? sharedWindows(
          master,
          mine.filter((v) => sharedIds.includes(v.id)),
          head.frame,
        )
      : null;
  return (
    <DropArea productionId={production.id}>
      {(choose) => (
        <>
          <div className="masters">
            <div className="list">
              <div
                style={{
                  display: 'flex',
                  gap: 8,
                  padding: '12px 16px',
                  borderBottom: '1px solid var(--rule)',
                }}
              >
                <Button variant="contained" onClick={choose}>
                  Bring in films
                </Button>
                <Button variant="outlined" onClick={() => setInboxOpen(true)}>
                  From the inbox
                </Button>
              </div>
              <ArrivingList productionId={production.id} />
              <ul>
                {production.masters.map((m) => (
                  <li key={m.id}>
                    <NavLink
                      to={`${base}/masters/${m.id}`}
                      className={m.id === master?.id ? 'on' : ''}
                      aria-current={m.id === master?.id ? 'page' : undefined}
                    >
                      <span className="well">
                        {m.hasPoster && <img src={`/api/masters/${m.id}/poster?take=${m.take}`} alt="" />}
                      </span>
                      <span style={{ minWidth: 0 }}>
                        <b className="clip" style={{ display: 'block', fontWeight: 650 }}>
                          {m.name}
                        </b>
                        <span className="quiet" style={{ fontSize: 12, display: 'block' }}>
                          {m.facts ? masterSummary(m.facts) : m.fileName}
                        </span>
                        <MasterStamp master={m} job={jobOf(m.id)} />
                      </span>
                    </NavLink>
                  </li>
                ))}
              </ul>
            </div>
            {master ? (
              <>
                <div className="stage">
                  <div className="well">
                    {usable && displayed ? (
                      <div
                        className="on-master"
                        style={{
                          aspectRatio: `${displayed.width} / ${displayed.height}`,
                          width: `min(100cqw, ${(100 * displayed.width) / displayed.height}cqh)`,
                        }}
                      >
                        <WholeMaster master={master} />
                        {tab === 'keeps' && (
                          <KeepSurface
                            master={master}
                            chosenId={keepId}
                            onChoose={setKeepId}
                            drawing={drawing}
                            onDraw={setDrawing}
                          />
                        )}
                        {tab === 'shared' && shared && <SharedOverlay shared={shared} master={displayed} />}
                      </div>
                    ) : (
                      <p style={{ color: '#e6e3da', maxWidth: 360, textAlign: 'center' }}>
                        {master.problem ? problemLine(master.problem) : 'Reading the file'}
                      </p>
                    )}
                  </div>
                  {usable && (
                    <>
                      <Transport master={master} shot={shot} />
                      <Score master={master}>
                        <ShotRow
                          master={master}
                          shots={shots}
                          chosen={shot}
                          words={(i) => `cam ${shots[i]!.setup}`}
                        />
                        {master.keeps.length > 0 && (
                          <KeepRow keeps={master.keeps} frames={master.facts!.video.frames} />
                        )}
                      </Score>
                    </>
                  )}
                </div>
                <aside className="side" aria-label="Facts">
                  <h2 style={{ fontSize: 17, overflowWrap: 'anywhere' }}>{master.name}</h2>
                  {usable && (
                    <div style={{ margin: '10px 0 12px', display: 'flex', gap: 8 }}>
                      <Button variant="contained" onClick={() => setPlacesOpen(true)}>
                        {madeOf ? 'Add places' : 'Choose where it goes'}
                      </Button>
                    </div>
                  )}
                  {usable && (
                    <div className="tabs" role="tablist" aria-label="About this master">
                      {tabs.map((t) => (
                        <button
                          key={t.id}
                          role="tab"
                          aria-selected={tab === t.id}
                          className={tab === t.id ? 'on' : ''}
                          onClick={() => setTab(t.id)}
                        >
                          {t.name}
                          {t.id === 'shots' && master.shots
                            ? ` ${master.shots.length}`
                            : t.id === 'keeps' && master.keeps.length
                              ? ` ${master.keeps.length}`
                              : ''}
                        </button>
                      ))}
                    </div>
                  )}
                  {usable && tab === 'shots' && <ShotsPanel key={master.id} master={master} />}
                  {usable && tab === 'keeps' && (
                    <KeepsPanel
                      key={master.id}
                      master={master}
                      chosenId={keepId}
                      onChoose={setKeepId}
                      drawing={drawing}
                      onDraw={setDrawing}
                    />
                  )}
                  {usable && tab === 'shared' && (
                    <SharedPanel
                      key={master.id}
                      master={master}
                      versions={mine}
                      shown={sharedIds}
                      onShown={setSharedIds}
                      frame={head.frame}
                    />
                  )}
                  {(!usable || tab === 'facts') && (
                    <>
                      <FileNote master={master} productionId={production.id} />
                      {master.carried && (
                        <div className="warn" style={{ marginBottom: 12 }}>
                          {master.carried.words.map((w) => (
                            <p key={w} style={{ marginBottom: 4 }}>
                              {w}
                            </p>
                          ))}
                          {master.carried.unmatched.slice(0, 8).map((f) => (
                            <button
                              key={f}
                              className="fix"
                              style={{ marginRight: 8 }}
                              onClick={() => {
                                desk.pause();
                                desk.seek(f);
                              }}
                            >
                              {frameToTimecode(f, master.facts!.video.rate)}
                            </button>
                          ))}
                        </div>
                      )}
                      {notes.length > 0 && (
                        <div style={{ display: 'grid', gap: 9, marginBottom: 14 }}>
                          {notes.map((n) => (
                            <p key={n.code} className={`warn ${n.weight === 'look' ? '' : 'mild'}`}>
                              {n.sentence}
                            </p>
                          ))}
                        </div>
                      )}
                      <Facts master={master} job={jobOf(master.id)} />
                      <p style={{ marginTop: 14 }} className="quiet">
                        {madeOf === 0
                          ? 'No versions yet.'
                          : madeOf === 1
                            ? 'One version is made from it.'
                            : `${madeOf} versions are made from it.`}
                      </p>
                      <p style={{ marginTop: 8 }}>
                        <button className="fix tall" onClick={() => replacement.current?.click()}>
                          Replace it with a newer file
                        </button>{' '}
                        or{' '}
                        <button className="fix tall" onClick={() => setReplacing(true)}>
                          one from the inbox
                        </button>
                        : framing and keeps carry over.
                      </p>
                      <input
                        ref={replacement}
                        type="file"
                        hidden
                        data-testid="replacement-chooser"
                        onChange={(event) => {
                          const [file] = event.target.files ?? [];
                          event.target.value = '';
                          if (file) void sendFilm(file, production.id, master.id);
                        }}
                      />
                      <button className="fix tall" onClick={() => setRemoving(true)}>
                        Remove this master
                      </button>
                    </>
                  )}
                </aside>
              </>
            ) : (
              <div style={{ gridColumn: '2 / 4', display: 'flex' }}>
                <Empty title="Drop the finished film here">
                  Its size, length, rate and loudness are read at once.
                </Empty>
              </div>
            )}
          </div>
          <InboxDialog productionId={production.id} open={inboxOpen} onClose={() => setInboxOpen(false)} />
          {master && (
            <InboxDialog
              productionId={production.id}
              replaces={master}
              open={replacing}
              onClose={() => setReplacing(false)}
            />
          )}
          {master && usable && (
            <PlacesDialog
              open={placesOpen}
              productionId={production.id}
              master={master}
              versions={production.versions}
              onClose={() => setPlacesOpen(false)}
            />
          )}
          {master && (
            <Dialog open={removing} onClose={() => setRemoving(false)} aria-labelledby="remove-title">
              <DialogContent sx={{ maxWidth: 420 }}>
                <h2 id="remove-title" style={{ fontSize: 17, marginBottom: 8 }}>
                  Remove “{master.name}”?
                </h2>
                <p>
                  {madeOf
                    ? `Its ${madeOf === 1 ? 'version goes' : `${madeOf} versions go`} too, with every file made from it. `
                    : ''}
                  {master.origin === 'inbox'
                    ? 'The film itself stays in the inbox folder.'
                    : 'The uploaded film is deleted.'}
                </p>
              </DialogContent>
              <DialogActions sx={{ p: 2 }}>
                <Button onClick={() => setRemoving(false)}>Keep it</Button>
                <Button
                  color="error"
                  variant="contained"
                  disabled={removal.isPending}
                  onClick={() =>
                    removal.mutate(master.id, {
                      onSuccess: () => void navigate(`${base}/masters`),
                      onError: (error) =>
                        enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                      onSettled: () => setRemoving(false),
                    })
                  }
                >
                  Remove
                </Button>
              </DialogActions>
            </Dialog>
          )}
        </>
      )}
    </DropArea>
  );
}
