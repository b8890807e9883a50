import { useSnackbar } from 'notistack';
import { problemLine } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAddVersions } from '../../api/changes.ts';
import { PlacesDialog } from './places-dialog.tsx';

/** Asks where a master goes that is there already. */
export function PlacesForMaster({
  productionId,
  master,
  versions,
  onClose,
}: {
  productionId: string;
  master: Master;
  versions: readonly Version[];
  onClose: () => void;
}) {
  const add = useAddVersions(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const taken = new Set(versions.filter((v) => v.masterId === master.id).map((v) => v.placementId));
  return (
    <PlacesDialog
      title={`Where does “${master.name}” go?`}
      about="Each place becomes a version with its own frame, limits and encoding."
      picture={
        master.hasPoster ? (
          <img src={`/api/masters/${master.id}/poster?file=${master.fileGeneration}`} alt="" />
        ) : null
      }
      master={master.facts?.video.displayed ?? null}
      taken={taken}
      busy={add.isPending}
      onChoose={(placementIds) =>
        add.mutate(
          { masterId: master.id, placementIds },
          {
            onSuccess: onClose,
            onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
          },
        )
      }
      onClose={onClose}
    />
  );
}
