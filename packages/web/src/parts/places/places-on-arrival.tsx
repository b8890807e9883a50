import { useCallback, useEffect, useState } from 'react';
import { useSnackbar } from 'notistack';
import { problemLine } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useAddVersions } from '../../api/changes.ts';
import { answerDropped, settleDropped, useDropped, type DroppedFilms } from '../../api/uploads.ts';
import { PlacesDialog } from './places-dialog.tsx';

/** The first picture of a film that is still on its way, read from the file itself; nothing where the browser cannot. */
function FirstPicture({ file }: { file: File }) {
  const [fails, setFails] = useState(false);
  const show = useCallback(
    (video: HTMLVideoElement | null) => {
      if (!video) return;
      const address = URL.createObjectURL(file);
      video.src = address;
      return () => URL.revokeObjectURL(address);
    },
    [file],
  );
  if (fails) return null;
  return <video ref={show} muted playsInline preload="metadata" onError={() => setFails(true)} aria-hidden />;
}

/** Makes the versions that were chosen while a film was still on its way, as soon as it has come. */
function useMakeChosen(productionId: string, dropped: readonly DroppedFilms[]): void {
  const add = useAddVersions(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const { mutate } = add;
  useEffect(() => {
    for (const { key, placementIds, films } of dropped) {
      if (!placementIds) continue;
      for (const film of films) {
        if (film.masterId === null || film.settled) continue;
        settleDropped(key, film.key);
        mutate(
          { masterId: film.masterId, placementIds: [...placementIds] },
          { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
        );
      }
    }
  }, [dropped, mutate, enqueueSnackbar]);
}

/** Asks where films go as soon as they have been dropped, once for all that were dropped together. */
export function PlacesOnArrival({ productionId }: { productionId: string }) {
  const dropped = useDropped(productionId);
  useMakeChosen(productionId, dropped);
  const asked = dropped.find((d) => d.placementIds === null);
  if (!asked) return null;
  const [first, ...others] = asked.files;
  return (
    <PlacesDialog
      key={asked.key}
      title={
        others.length ? `Where do these ${asked.files.length} films go?` : `Where does “${first!.name}” go?`
      }
      about="Each place becomes a version, framed by what is seen in the film. It is read meanwhile."
      picture={<FirstPicture file={first!} />}
      films={asked.files.length}
      onChoose={(placementIds) => answerDropped(asked.key, placementIds)}
      onClose={() => answerDropped(asked.key, [])}
    />
  );
}
