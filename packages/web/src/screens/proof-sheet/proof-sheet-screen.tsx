import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { useKey } from '../../keys/use-key.ts';
import { Link } from 'react-router';
import {
  durationLabel,
  frameToSeconds,
  frameToTimecode,
  masterSummary,
  oneShot,
  problemLine,
  rateLabel,
  shotIndexAt,
  shotSpans,
  timeLeftWords,
} from '@mivvy/core';
import type { Master, ProductionDetail, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useExport } from '../../api/changes.ts';
import { useArriving } from '../../api/uploads.ts';
import { ArrivingList, DropArea, InboxDialog } from '../../parts/bring-in.tsx';
import { useWorthLooks } from '../../parts/following.ts';
import { Empty } from '../../parts/notices.tsx';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { PlacesDialog } from '../../parts/places-dialog.tsx';
import { Proof, TroubleStrip, type Overlays } from '../../parts/proof.tsx';
import { Score, ShotRow } from '../../parts/score.tsx';
import { Stamp, VersionStamp } from '../../parts/stamp.tsx';
import { Transport } from '../../parts/transport.tsx';
import { allTroubles, troubleWord, useGoToTrouble, useNextTrouble } from '../../parts/troubles.ts';
import { TroubleThumb } from '../../parts/trouble-thumb.tsx';
import { TrueSize } from '../../parts/true-size.tsx';
import { cutOf, planVersion, versionName, type Planned } from '../../parts/versions.ts';
import { useDesk, useSpanAtHead } from '../../play/use-desk.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Enlarged } from './enlarged.tsx';
import './proof-sheet.css';

/** Screen pixels for a delivered pixel: the largest that is tried, and the smallest. */
const largestScale = 228 / 1080;
const smallestScale = 150 / 1080;
/** Room that a proof needs around it: the gap to the next, the words under it, and the least width that these take. */
const proofGap = 22;
const wordsHeight = 96;
const wordsWidth = 118;

/** Size of a proof on the sheet, in its true relative size unless it would take half the sheet. */
function proofSize(version: Version, scale: number): { width: number; height: number } {
  const frame = version.placement?.frame ?? { width: 1080, height: 1080 };
  const k = Math.min(scale, 440 / frame.width, 440 / frame.height);
  return { width: Math.round(frame.width * k), height: Math.round(frame.height * k) };
}

/** The largest common scale at which the fullest row fits the room, so that a sheet is seen whole where it can be. */
function fittingScale(rows: readonly (readonly Version[])[], width: number, height: number): number {
  const fullest = rows.reduce<readonly Version[]>((a, b) => (b.length > a.length ? b : a), []);
  for (let scale = largestScale; scale > smallestScale; scale -= 4 / 1080) {
    let [x, total, line] = [0, 0, 0];
    for (const version of fullest) {
      const size = proofSize(version, scale);
      const wide = Math.max(size.width, wordsWidth);
      if (x > 0 && x + wide > width) {
        total += line + proofGap;
        [x, line] = [0, 0];
      }
      x += wide + proofGap;
      line = Math.max(line, size.height + wordsHeight);
    }
    if (total + line <= height) return scale;
  }
  return smallestScale;
}

/** How a version's length stands against its limit, in words. */
function lengthWords(version: Version, master: Master, planned: Planned | null): string {
  if (!planned) return version.placement ? 'Waiting for its master' : 'Not in the spec book any more';
  const { plan, delivered } = planned.planned;
  const cut = cutOf(version, master);
  const words = timeLeftWords(planned.time);
  // The cut and the rate are said only where they are not the edit's own.
  return [
    cut?.name,
    words[0]!.toUpperCase() + words.slice(1),
    delivered.step.kind === 'every' && delivered.step.n === 1 ? null : `${rateLabel(plan.rate)} fps`,
  ]
    .filter(Boolean)
    .join(', ');
}

function Cell({
  version,
  master,
  planned,
  overlays,
  scale,
  onEnlarge,
}: {
  version: Version;
  master: Master;
  planned: Planned | null;
  overlays: Overlays;
  scale: number;
  onEnlarge: (version: Version) => void;
}) {
  const size = proofSize(version, scale);
  return (
    <div className="cellbox" style={{ width: Math.max(size.width, wordsWidth) }}>
      {master.facts && (
        <button
          className="fix enlarge"
          onClick={() => onEnlarge(version)}
          aria-label={`Enlarge ${versionName(version)}`}
        >
          Enlarge
        </button>
      )}
      <Link
        className="cell"
        to={`framing/${version.id}`}
        aria-label={`${versionName(version)}, open its framing`}
        data-placement={version.placementId}
      >
        <div className="crops" style={size}>
          <Proof version={version} master={master} overlays={overlays} width={size.width} />
        </div>
        <div style={{ width: size.width }}>
          <TroubleStrip planned={planned} master={master} />
        </div>
        <div className="words">
          <div className="tagline">
            <span className="letter">{version.tag}</span>
            <span className="name">{versionName(version)}</span>
          </div>
          <div className="quiet" style={{ fontSize: 12 }}>
            {lengthWords(version, master, planned)}
          </div>
          <VersionStamp standing={version.standing} troubles={planned?.troubles ?? []} />
        </div>
      </Link>
    </div>
  );
}

interface SheetVersion {
  version: Version;
  planned: Planned | null;
}

function MasterRow({
  master,
  versions,
  overlays,
  scale,
  first,
  onPlaces,
  onEnlarge,
}: {
  master: Master;
  versions: SheetVersion[];
  overlays: Overlays;
  scale: number;
  first: boolean;
  onPlaces: () => void;
  onEnlarge: (version: Version) => void;
}) {
  const { productionId } = master;
  return (
    <section className="row" aria-label={master.name}>
      <div className="film-note">
        <h2>
          <Link to={`/productions/${productionId}/masters/${master.id}`} style={{ textDecoration: 'none' }}>
            {master.name}
          </Link>
        </h2>
        {master.state === 'failed' ? (
          <Stamp shape="fail">Cannot be used</Stamp>
        ) : (
          <p className="quiet">{master.facts ? masterSummary(master.facts) : 'Being read'}.</p>
        )}
        {master.state === 'failed' ? (
          <p className="quiet">{master.problem && problemLine(master.problem)}</p>
        ) : versions.length ? (
          <button className="fix tall" onClick={onPlaces}>
            Add places
          </button>
        ) : (
          master.facts && (
            <Button variant={first ? 'contained' : 'outlined'} onClick={onPlaces}>
              Choose places
            </Button>
          )
        )}
      </div>
      <div className="proofs">
        {versions.map(({ version, planned }) => (
          <Cell
            key={version.id}
            version={version}
            master={master}
            planned={planned}
            overlays={overlays}
            scale={scale}
            onEnlarge={onEnlarge}
          />
        ))}
        {versions.length === 0 && master.facts && master.state === 'ready' && (
          <UnplacedMaster master={master} onPlaces={onPlaces} />
        )}
      </div>
    </section>
  );
}

/** A master that goes nowhere yet: its poster, and the next thing to do. */
function UnplacedMaster({ master, onPlaces }: { master: Master; onPlaces: () => void }) {
  const { width, height } = master.facts!.video.displayed;
  const k = Math.min(190 / width, 150 / height);
  return (
    <button
      onClick={onPlaces}
      className="cell"
      style={{
        border: 0,
        background: 'none',
        padding: 0,
        cursor: 'pointer',
        font: 'inherit',
        textAlign: 'left',
      }}
    >
      <div className="crops" style={{ width: width * k, height: height * k }}>
        <div className="picture" style={{ width: '100%', height: '100%' }}>
          {master.hasPoster ? (
            <img
              src={`/api/masters/${master.id}/poster?file=${master.fileGeneration}`}
              alt=""
              style={{ width: '100%', height: '100%' }}
            />
          ) : (
            <div className="waiting">Drawing a still</div>
          )}
        </div>
      </div>
      <span className="quiet">Goes nowhere yet</span>
    </button>
  );
}

/** One line of what needs a person. */
interface LookItem {
  rank: number;
  key: string;
  shape: 'fail' | 'look';
  word: string;
  text: string;
  version: Version;
  master: Master;
  /** The frame to be shown. */
  frame: number;
  act: { to: string; name: string } | (() => void);
}

/** How many are listed; a key goes through all of them. */
const mostListed = 40;

/** What needs a person: faults first, then files that are behind, then what to look at. */
function NeedsALook({
  production,
  rows,
}: {
  production: ProductionDetail;
  rows: { master: Master; versions: SheetVersion[] }[];
}) {
  const go = useGoToTrouble();
  const worth = useWorthLooks(production);
  const seen = new Map(
    rows.flatMap(({ master, versions }) => versions.map((v) => [v.version.id, { ...v, master }] as const)),
  );
  const items: LookItem[] = [...seen.values()].flatMap(({ version, master }) => {
    const at = (
      rank: number,
      shape: LookItem['shape'],
      word: string,
      text: string,
      to: string,
      name: string,
    ): LookItem => ({
      rank,
      key: `${version.id} ${word}`,
      shape,
      word,
      text,
      version,
      master,
      frame: Math.floor((master.facts?.video.frames ?? 1) / 5),
      act: { to, name },
    });
    if (!version.placement)
      return [
        at(
          0,
          'fail',
          'Place unknown',
          'The spec book no longer holds this placement.',
          '/spec-book',
          'Open the spec book',
        ),
      ];
    if (version.standing === 'failed')
      return [at(1, 'fail', 'Not made', 'The last export stopped.', 'exports', 'See why')];
    if (version.standing === 'failed-check')
      return [
        at(
          1,
          'fail',
          'Failed its check',
          version.deliverable?.findings
            .map((c) => `${c.name}: ${c.measured}, wanted ${c.expected}`)
            .join('; ') ?? '',
          `deliverables/${version.id}`,
          'See the report',
        ),
      ];
    if (version.standing === 'behind')
      return [
        at(
          2,
          'look',
          'Behind',
          `The file is older than this: ${version.behind.join(', ')}.`,
          `deliverables/${version.id}`,
          'See the file',
        ),
      ];
    return [];
  });
  for (const place of allTroubles(production)) {
    const master = seen.get(place.version.id)?.master;
    if (!master?.facts) continue;
    const { trouble: t } = place;
    const { rate } = master.facts.video;
    const keep = master.keeps.find((k) => k.id === t.keepId);
    const shots = master.shots ?? oneShot;
    const text = keep
      ? `Shot ${shotIndexAt(shots, t.span.from) + 1}, from ${frameToTimecode(t.span.from, rate)} for ${durationLabel(frameToSeconds(t.span.to - t.span.from, rate))}`
      : t.sentence;
    items.push({
      rank: t.severity === 'fault' ? 0 : 3,
      key: `${place.version.id} ${t.code} ${t.span.from} ${t.keepId ?? ''} ${t.area ?? ''}`,
      shape: t.severity === 'fault' ? 'fail' : 'look',
      word: troubleWord(t, keep?.name),
      text,
      version: place.version,
      master,
      frame: t.span.from,
      act: () => go(place),
    });
  }
  items.sort((a, b) => a.rank - b.rank);
  const faulty = rows.filter((r) => r.master.state === 'failed');
  const count = items.length + faulty.length;
  return (
    <aside className="side" aria-label="Needs a look">
      <h2>
        Needs a look <span className="quiet">{count}</span>
      </h2>
      {worth.length > 0 && (
        <div className="look-item" style={{ gridTemplateColumns: '1fr' }}>
          <div>
            <Stamp shape="look">Worth a look</Stamp>
            <p>
              {worth.length === 1 ? 'One shot' : `${worth.length} shots`} that{' '}
              {worth.length === 1 ? 'was' : 'were'} framed by what is seen. The worst:{' '}
              {versionName(worth[0]!.version)}, shot {worth[0]!.unit.shot + 1},{' '}
              {worth[0]!.judgement.words[0] ?? `${worth[0]!.judgement.figure} of 100`}.
            </p>
            <Link className="fix tall" to={`framing/${worth[0]!.version.id}?round=${worth[0]!.unit.from}`}>
              Go through them
            </Link>
          </div>
        </div>
      )}
      {count === 0 && worth.length === 0 && (
        <p className="quiet" style={{ marginTop: 8 }}>
          {production.versions.length
            ? 'Nothing. Every version keeps to its place’s numbers and shows what it must.'
            : 'Nothing yet.'}
        </p>
      )}
      {faulty.map(({ master }) => (
        <div key={master.id} className="look-item" style={{ gridTemplateColumns: '1fr' }}>
          <div>
            <Stamp shape="fail">Cannot be used</Stamp>
            <p>
              <b style={{ fontWeight: 600 }}>{master.fileName}</b>
            </p>
            <p className="quiet">{master.problem && problemLine(master.problem)}</p>
          </div>
        </div>
      ))}
      {items.slice(0, mostListed).map((item) => (
        <div key={item.key} className="look-item">
          {item.master.facts ? (
            <TroubleThumb version={item.version} master={item.master} frame={item.frame} width={46} />
          ) : (
            <span />
          )}
          <div style={{ minWidth: 0 }}>
            <Stamp shape={item.shape}>{item.word}</Stamp>
            <p>
              <b style={{ fontWeight: 600 }}>{versionName(item.version)}</b>
              {rows.length > 1 && <span className="quiet">, {item.master.name}</span>}
            </p>
            <p className="quiet">{item.text}</p>
            {typeof item.act === 'function' ? (
              <button className="fix tall" onClick={item.act}>
                Look at it
              </button>
            ) : (
              <Link className="fix tall" to={item.act.to}>
                {item.act.name}
              </Link>
            )}
          </div>
        </div>
      ))}
      {items.length > mostListed && (
        <p className="quiet" style={{ marginTop: 10 }}>
          And {items.length - mostListed} more; press n to go through them all.
        </p>
      )}
    </aside>
  );
}

/** The play head over the leading film's shots. */
function SheetHead({ lead }: { lead: Master }) {
  const desk = useDesk();
  const { frames, rate } = lead.facts!.video;
  const shots = lead.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const found = useSpanAtHead(spans);
  const index = found < 0 ? spans.length - 1 : found;
  const shot = spans[index];
  const go = (by: number) => desk.seek(shots[Math.max(0, Math.min(shots.length - 1, index + by))]!.from);
  useKey('Everywhere.shotAfter', () => go(1));
  useKey('Everywhere.shotBefore', () => go(-1));
  return (
    <div className="score-head">
      <div>
        <Transport master={lead} shot={shot} />
        <p className="quiet clip" style={{ fontSize: 12 }}>
          {lead.name} · {rateLabel(rate)} fps · shot {index + 1} of {shots.length}
        </p>
      </div>
      <Score master={lead}>
        <ShotRow master={lead} shots={shots} />
      </Score>
    </div>
  );
}

/** The proof sheet: masters down, placements across, every proof live under one play head. */
export function ProofSheetScreen() {
  const production = useThisProduction();
  const desk = useDesk();
  const [overlays, setOverlays] = useOverlays();
  const [placesFor, setPlacesFor] = useState<string | null>(null);
  const [inboxOpen, setInboxOpen] = useState(false);
  const exporting = useExport(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const arriving = useArriving(production.id);

  const rows = useMemo(
    () =>
      production.masters.map((master) => ({
        master,
        versions: production.versions
          .filter((v) => v.masterId === master.id)
          .map((version) => ({ version, planned: planVersion(version, master, production.margin) })),
      })),
    [production],
  );
  const [room, setRoom] = useState({ width: 800, height: 640 });
  const sheetRef = useCallback((sheet: HTMLDivElement | null) => {
    if (!sheet) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setRoom({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(sheet);
    return () => observer.disconnect();
  }, []);
  // Beside the proofs stands the master's own column; above them, one line of switches.
  const scale = fittingScale(
    rows.map((r) => r.versions.map((v) => v.version)),
    room.width - 180,
    room.height - 90,
  );
  const lead = production.masters.find((m) => m.state === 'ready' && m.facts);
  const leadId = lead?.id;
  useEffect(() => {
    if (leadId) desk.lead(leadId);
  }, [desk, leadId]);
  const chosen = production.masters.find((m) => m.id === placesFor);
  const [enlargedId, setEnlargedId] = useState<string | null>(null);
  const [trueSizeId, setTrueSizeId] = useState<string | null>(null);
  const versionsInOrder = rows.flatMap((r) => r.versions.map((v) => ({ ...v, master: r.master })));
  const enlarged = versionsInOrder.find((v) => v.version.id === enlargedId);
  const trueSize = versionsInOrder.find((v) => v.version.id === trueSizeId);
  const stepEnlarged = (by: number) =>
    setEnlargedId(
      versionsInOrder[
        (versionsInOrder.findIndex((v) => v.version.id === enlargedId) + by + versionsInOrder.length) %
          versionsInOrder.length
      ]?.version.id ?? null,
    );
  const nextTrouble = useNextTrouble();
  useKey('Everywhere.nextTrouble', () => nextTrouble());
  useKey('Proof sheet.enlarge', () => setEnlargedId(versionsInOrder[0]?.version.id ?? null));
  const ready = production.versions.filter((v) =>
    ['to-make', 'behind', 'failed', 'failed-check'].includes(v.standing),
  );

  if (production.masters.length === 0) {
    return (
      <DropArea productionId={production.id}>
        {(choose) => (
          <>
            <ArrivingList productionId={production.id} />
            <Empty
              title={arriving.length ? 'On its way' : 'Drop the finished film here'}
              action={
                <div style={{ display: 'flex', gap: 10 }}>
                  <Button variant="contained" onClick={choose}>
                    Choose a film
                  </Button>
                  <Button variant="outlined" onClick={() => setInboxOpen(true)}>
                    From the inbox folder
                  </Button>
                </div>
              }
            >
              {arriving.length
                ? 'It can be framed as soon as it has arrived.'
                : 'One edit, or a handful of clips for the same job. MP4, MOV, MKV, WebM, MXF and AVI are read.'}
            </Empty>
            <InboxDialog productionId={production.id} open={inboxOpen} onClose={() => setInboxOpen(false)} />
          </>
        )}
      </DropArea>
    );
  }
  return (
    <DropArea productionId={production.id}>
      {() => (
        <>
          {lead?.facts && <SheetHead lead={lead} />}
          <ArrivingList productionId={production.id} />
          <div className="sheet">
            <div className="rows" ref={sheetRef}>
              <div style={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center' }}>
                <span style={{ display: 'inline-flex', gap: 14 }}>
                  <OverlaySwitches overlays={overlays} onChange={setOverlays} />
                  {versionsInOrder[0]?.master.facts && (
                    <button
                      className="fix tall"
                      onClick={() => setTrueSizeId(versionsInOrder[0]!.version.id)}
                    >
                      True size
                    </button>
                  )}
                </span>
                {ready.length > 0 && (
                  <Button
                    variant="contained"
                    disabled={exporting.isPending}
                    onClick={() =>
                      exporting.mutate(
                        ready.map((v) => v.id),
                        {
                          onSuccess: (jobs) =>
                            enqueueSnackbar(
                              jobs.length === 1
                                ? 'One file is in the queue.'
                                : `${jobs.length} files are in the queue.`,
                            ),
                          onError: (error) =>
                            enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                        },
                      )
                    }
                  >
                    {ready.length === 1 ? 'Export 1 version' : `Export ${ready.length} versions`}
                  </Button>
                )}
              </div>
              {rows.map(({ master, versions }) => (
                <MasterRow
                  key={master.id}
                  master={master}
                  versions={versions}
                  overlays={overlays}
                  scale={scale}
                  first={production.versions.length === 0 && master.id === leadId}
                  onPlaces={() => setPlacesFor(master.id)}
                  onEnlarge={(v) => setEnlargedId(v.id)}
                />
              ))}
            </div>
            <NeedsALook production={production} rows={rows} />
          </div>
          {enlarged?.master.facts && (
            <Enlarged
              version={enlarged.version}
              master={enlarged.master}
              planned={enlarged.planned}
              overlays={overlays}
              onStep={stepEnlarged}
              onClose={() => setEnlargedId(null)}
            />
          )}
          {trueSize?.master.facts && (
            <TrueSize
              version={trueSize.version}
              master={trueSize.master}
              overlays={overlays}
              onClose={() => setTrueSizeId(null)}
            />
          )}
          {chosen && (
            <PlacesDialog
              open
              productionId={production.id}
              master={chosen}
              versions={production.versions}
              onClose={() => setPlacesFor(null)}
            />
          )}
        </>
      )}
    </DropArea>
  );
}
