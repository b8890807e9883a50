import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { format } from 'date-fns';
import {
  allPlacements,
  aspectLabel,
  bitrateLabel,
  bytesLabel,
  channelsLabel,
  codecLabel,
  decibelLabel,
  durationLabel,
  insideMargins,
  parseRate,
  problemLine,
  rateLabel,
  shapeWord,
  sizeLabel,
  type Placement,
  type PlacedOutlet,
} from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useAddSpecBook } from '../../api/changes.ts';
import { useSpecBook } from '../../api/queries.ts';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { placementLine, ShapeMark } from '../../parts/places-dialog.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import './spec-book.css';

const percent = (n: number) => `${Number((n * 100).toFixed(1))} %`;

/** A placement read aloud: its numbers as sentences. */
function PlacementPage({ outlet, placement }: PlacedOutlet) {
  const { frame, largerFrame, duration, frameRate, video, audio, safeMargin, blocked } = placement;
  const ratesRead = (texts: string[]) =>
    texts
      .map((t) => {
        const r = parseRate(t);
        return r.ok ? rateLabel(r.value) : t;
      })
      .join(', ');
  return (
    <div className="page">
      <div>
        <p className="quiet" style={{ marginBottom: 0 }}>
          {outlet.name}
        </p>
        <h1 style={{ fontSize: 26, fontStretch: '108%', marginBottom: 14 }}>{placement.name}</h1>
        <p>
          {shapeWord(frame)[0]!.toUpperCase() + shapeWord(frame).slice(1)} {aspectLabel(frame)},{' '}
          <b>{sizeLabel(frame)}</b>
          {largerFrame && (
            <>
              , or <b>{sizeLabel(largerFrame)}</b> when the master has the pixels
            </>
          )}
          , as {placement.container.toUpperCase()}.
        </p>
        <p>
          {lengthSentence(duration)}{' '}
          {frameRate?.allowed ? (
            <>
              Taken at <b>{ratesRead(frameRate.allowed)}</b>
              {frameRate.max && (
                <>
                  , at most <b>{ratesRead([frameRate.max])}</b>
                </>
              )}{' '}
              frames a second.
            </>
          ) : frameRate?.max ? (
            <>
              At most <b>{ratesRead([frameRate.max])}</b> frames a second.
            </>
          ) : (
            'Any frame rate is taken.'
          )}
        </p>
        <p>
          <b>{codecLabel(video.codec)}</b>,{' '}
          {video.rate.mode === 'two-pass' ? (
            <>
              two passes at <b>{bitrateLabel(video.rate.targetKbps)}</b>, never above{' '}
              <b>{bitrateLabel(video.rate.maxKbps)}</b>
            </>
          ) : (
            <>
              quality {video.rate.crf}
              {video.rate.maxKbps !== undefined && (
                <>
                  , never above <b>{bitrateLabel(video.rate.maxKbps)}</b>
                </>
              )}
            </>
          )}
          {video.keyframeSeconds && `, a keyframe at least every ${video.keyframeSeconds} s`}.
          {placement.maxBytes && (
            <>
              {' '}
              The file is at most <b>{bytesLabel(placement.maxBytes)}</b>.
            </>
          )}
        </p>
        <p>
          {audio ? (
            <>
              Sound in <b>{codecLabel(audio.codec)}</b>, {channelsLabel(audio.channels)}, {audio.kbps} kbit/s,{' '}
              {audio.sampleRate / 1000} kHz
              {audio.loudness ? (
                <>
                  , at <b>{decibelLabel(audio.loudness.integratedLufs, 0)} LUFS</b> with peaks to{' '}
                  {decibelLabel(audio.loudness.truePeakDbtp)} dBTP
                </>
              ) : (
                ''
              )}
              .
            </>
          ) : (
            'Silent: any sound is left out.'
          )}
        </p>
        {(safeMargin || blocked?.length) && (
          <p>
            {safeMargin && (
              <>
                Keep{' '}
                {[
                  ...new Set(
                    Object.values({
                      t: safeMargin.top,
                      r: safeMargin.right,
                      b: safeMargin.bottom,
                      l: safeMargin.left,
                    }),
                  ),
                ]
                  .map(percent)
                  .join(' / ')}{' '}
                clear at the edges.{' '}
              </>
            )}
            {blocked?.length ? <>Covered by {blocked.map((b) => `“${b.name}”`).join(' and ')}.</> : ''}
          </p>
        )}
        <p className="quiet" style={{ borderTop: '1px solid var(--rule)', paddingTop: 12 }}>
          {placement.verifiedOn
            ? `Checked on ${format(new Date(placement.verifiedOn), 'd MMMM yyyy')}.`
            : 'Not checked yet.'}{' '}
          {placement.source && `Source: ${placement.source}.`} <span className="mono">{placement.id}</span>
        </p>
      </div>
      <FrameDrawing placement={placement} />
    </div>
  );
}

function lengthSentence(duration: Placement['duration']): string {
  const { minSeconds, maxSeconds } = duration ?? {};
  if (minSeconds !== undefined && maxSeconds !== undefined)
    return `From ${durationLabel(minSeconds)} to ${durationLabel(maxSeconds)}.`;
  if (maxSeconds !== undefined) return `At most ${durationLabel(maxSeconds)}.`;
  if (minSeconds !== undefined) return `At least ${durationLabel(minSeconds)}.`;
  return 'Of any length.';
}

/** The frame with its margin and blocked areas, to scale. */
function FrameDrawing({ placement }: { placement: Placement }) {
  const { frame, safeMargin, blocked } = placement;
  const k = Math.min(300 / frame.width, 440 / frame.height);
  const place = (r: { x: number; y: number; width: number; height: number }) => ({
    left: percent(r.x).replace(' ', ''),
    top: percent(r.y).replace(' ', ''),
    width: percent(r.width).replace(' ', ''),
    height: percent(r.height).replace(' ', ''),
  });
  return (
    <figure style={{ paddingTop: 10 }}>
      <div
        className="crops"
        style={{ width: frame.width * k, height: frame.height * k, background: 'var(--well)', margin: 8 }}
        role="img"
        aria-label="The frame, its safe margin and its blocked areas"
      >
        {safeMargin && <div className="margin" style={place(insideMargins(safeMargin))} />}
        {blocked?.map((b) => (
          <div key={b.name} className="blocked" style={place(b)} title={b.name}>
            {b.name}
          </div>
        ))}
      </div>
    </figure>
  );
}

/** The spec book: all outlets and placements, dated and sourced. */
export function SpecBookScreen() {
  const query = useSpecBook();
  const add = useAddSpecBook();
  const { enqueueSnackbar } = useSnackbar();
  const [chosen, setChosen] = useState<string | null>(null);
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    maxSize: 5_000_000,
    onDrop: (files) =>
      files.forEach(
        (file) =>
          void file
            .text()
            .then((text) =>
              add.mutate(
                { fileName: file.name, text },
                { onSuccess: () => enqueueSnackbar(`${file.name} is in the book.`) },
              ),
            ),
      ),
  });
  const places = allPlacements(query.data?.outlets ?? []);
  const page = places.find((p) => p.placement.id === chosen) ?? places[0];
  return (
    <div className="desk" {...getRootProps()}>
      <TopBar where={<b>Spec book</b>} />
      <input {...getInputProps()} data-testid="spec-chooser" />
      <main>
        {query.isPending ? (
          <Loading what="the spec book" />
        ) : query.isError ? (
          <Failed error={query.error} onRetry={() => void query.refetch()} />
        ) : (
          <div className="book">
            <nav className="contents" aria-label="Placements">
              <div
                style={{
                  padding: '0 20px 10px',
                  borderBottom: '1px solid var(--rule)',
                  display: 'grid',
                  gap: 10,
                }}
              >
                <div style={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center' }}>
                  <span className="quiet">
                    {query.data.outlets.length} outlets, {places.length} placements
                  </span>
                  <Button variant="outlined" onClick={open}>
                    Add a spec book file
                  </Button>
                </div>
                {add.isError && <ProblemNote problem={problemOf(add.error)} />}
                {query.data.refused.map((r) => (
                  <p key={r.file} className="warn fault">
                    {problemLine(r.problem)}
                  </p>
                ))}
              </div>
              {query.data.outlets.map((outlet) => (
                <section key={outlet.id}>
                  <h2>{outlet.name}</h2>
                  {outlet.placements.map((p) => (
                    <button
                      key={p.id}
                      className={p.id === page?.placement.id ? 'on' : ''}
                      aria-pressed={p.id === page?.placement.id}
                      onClick={() => setChosen(p.id)}
                    >
                      <ShapeMark frame={p.frame} size={30} />
                      <span style={{ minWidth: 0 }}>
                        <b style={{ fontWeight: 600 }}>{p.name}</b>
                        <br />
                        <span className="quiet clip" style={{ fontSize: 12, display: 'block' }}>
                          {placementLine(p)}
                        </span>
                      </span>
                    </button>
                  ))}
                </section>
              ))}
            </nav>
            {page && <PlacementPage {...page} />}
          </div>
        )}
      </main>
      {isDragActive && <div className="dropveil">Drop the spec book file</div>}
    </div>
  );
}
