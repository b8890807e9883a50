import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { format } from 'date-fns';
import {
  allPlacements,
  insideMargins,
  placementWords,
  problemLine,
  type Placement,
  type PlacedOutlet,
} from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useAddSpecBook } from '../../api/changes.ts';
import { useSpecBook } from '../../api/queries.ts';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { placementLine, ShapeMark } from '../../parts/places/placement-line.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import './spec-book.css';
import styles from './spec-book.module.css';

const percent = (n: number) => `${Number((n * 100).toFixed(1))} %`;

/** A placement read aloud: its rules as sentences. */
function PlacementPage({ outlet, placement }: PlacedOutlet) {
  return (
    <div className="page">
      <div>
        <p className={`quiet ${styles.outlet}`}>{outlet.name}</p>
        <h1 className={styles.name}>{placement.name}</h1>
        {placementWords(placement).map((words) => (
          <p key={words}>{boldNumbers(words)}</p>
        ))}
        <p className={`quiet ${styles.evidence}`}>
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

/** Numbers with their units, plainest: they are what is compared with the source. */
const numbers =
  /(?<![\p{L}\d.:])(−?\d+(?:[.,:]\d+)?(?: × \d+)?(?: (?:[MkG]?bit\/s|[MkG]B|LUFS|dBTP|kHz|%|s|min)(?!\p{L}))?)/u;

function boldNumbers(words: string) {
  return words.split(numbers).map((part, i) => (i % 2 ? <b key={i}>{part}</b> : part));
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
      <main>
        <input {...getInputProps()} data-testid="spec-chooser" />
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
