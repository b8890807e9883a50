import Button from '@mui/material/Button';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useParams } from 'react-router';
import { problemLine } from '@mivvy/core';
import type { PlacementPage } from '@mivvy/api';
import { useSpecBook } from '../../api/queries.ts';
import { usePlacementPage } from '../../api/spec-book.ts';
import { Failed, Loading } from '../../parts/notices.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import { Contents } from './contents.tsx';
import { ExactAreas } from './exact-areas.tsx';
import { FrameDrawing } from './frame-drawing.tsx';
import { KeepSlip } from './keep-slip.tsx';
import { NewPlacement } from './new-placement.tsx';
import { PlacementNote } from './note/placement-note.tsx';
import { PlacementDesk } from './placement-draft.tsx';
import { Slips } from './slips.tsx';
import { TakeFile } from './take-file.tsx';
import { TouchedVersions } from './touched-versions.tsx';
import styles from './spec-book.module.css';

/** A spec book file is this large at most, bytes. */
const largestFile = 20_000_000;

type Book = NonNullable<ReturnType<typeof useSpecBook>['data']>;

/** One placement: its sentences beside its frame, what is changed, its history, and what is made for it. */
function OpenPlacement({ page, book }: { page: PlacementPage; book: Book }) {
  const [copying, setCopying] = useState(false);
  return (
    <PlacementDesk page={page}>
      <div className={styles.open}>
        <div className={styles.page}>
          <PlacementNote onCopy={() => setCopying(true)} />
          <div>
            <FrameDrawing />
            <ExactAreas />
          </div>
          <div className={styles.below}>
            <TouchedVersions />
            <Slips />
          </div>
        </div>
        <KeepSlip />
      </div>
      {copying && (
        <NewPlacement
          like={page.revisions.at(-1)!.placement}
          outletName={page.standing.outlet.name}
          outlets={book.allOutlets}
          taken={new Set(book.placements.map((p) => p.id))}
          onClose={() => setCopying(false)}
        />
      )}
    </PlacementDesk>
  );
}

function PageOf({ id, book }: { id: string; book: Book }) {
  const query = usePlacementPage(id);
  if (query.isPending) {
    return (
      <>
        <h1 className="sr">Spec book</h1>
        <Loading what="the placement" />
      </>
    );
  }
  if (query.isError) {
    return (
      <>
        <h1 className="sr">Spec book</h1>
        <Failed error={query.error} onRetry={() => void query.refetch()} />
      </>
    );
  }
  return <OpenPlacement key={id} page={query.data} book={book} />;
}

/** The spec book: all outlets and placements, dated and sourced, and changed in place. */
export function SpecBookScreen() {
  const query = useSpecBook();
  const { placementId } = useParams();
  const [file, setFile] = useState<{ fileName: string; text: string } | null>(null);
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    maxFiles: 1,
    maxSize: largestFile,
    onDrop: ([first]) => first && void first.text().then((text) => setFile({ fileName: first.name, text })),
  });
  const openId = placementId ?? query.data?.placements.find((p) => !p.retiredOn)?.id;
  return (
    <div className="desk" {...getRootProps()}>
      <TopBar where={<b>Spec book</b>} />
      <main>
        <input {...getInputProps()} data-testid="spec-chooser" />
        {!openId && <h1 className="sr">Spec book</h1>}
        {query.isPending ? (
          <Loading what="the spec book" />
        ) : query.isError ? (
          <Failed error={query.error} onRetry={() => void query.refetch()} />
        ) : (
          <div className={styles.book}>
            <nav className={styles.contents} aria-label="Placements">
              <div className={styles.head}>
                <span className="quiet">
                  {query.data.allOutlets.length} outlets, {query.data.placements.length} placements
                </span>
                <span className={styles.files}>
                  <Button component="a" href="/api/spec-book/file" download>
                    Save as a file
                  </Button>
                  <Button variant="outlined" onClick={open}>
                    Take a file in
                  </Button>
                </span>
                {query.data.refused.map((r) => (
                  <p key={r.file} className="warn fault">
                    {problemLine(r.problem)}
                  </p>
                ))}
              </div>
              <Contents standings={query.data.placements} outlets={query.data.outlets} openId={openId} />
            </nav>
            {openId && <PageOf id={openId} book={query.data} />}
          </div>
        )}
      </main>
      {file && <TakeFile key={file.text} file={file} onClose={() => setFile(null)} />}
      {isDragActive && <div className="dropveil">Drop the spec book file</div>}
    </div>
  );
}
