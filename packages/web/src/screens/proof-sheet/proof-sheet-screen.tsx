import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { useKey } from '../../keys/use-key.ts';
import { countWords, problemLine } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useExport } from '../../api/changes.ts';
import { useArriving } from '../../api/uploads.ts';
import { ArrivingList, DropArea, InboxDialog } from '../../parts/bring-in.tsx';
import { Empty } from '../../parts/notices.tsx';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { PlacesDialog } from '../../parts/places-dialog.tsx';
import { useNextTrouble } from '../../parts/troubles.ts';
import { TrueSize } from '../../parts/true-size.tsx';
import { planVersion } from '../../parts/versions.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Enlarged } from './enlarged.tsx';
import { MasterRow } from './master-row.tsx';
import { NeedsALook } from './needs-a-look.tsx';
import { fittingScale } from './sheet-scale.ts';
import { SheetHead } from './sheet-head.tsx';
import './proof-sheet.css';

/** The room that an element has, as it changes. */
function useRoom() {
  const [room, setRoom] = useState({ width: 800, height: 640 });
  const measure = useCallback((element: HTMLDivElement | null) => {
    if (!element) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setRoom({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [measure, room] as const;
}

/** The sheet before there is a film. */
function NoMasters() {
  const production = useThisProduction();
  const arriving = useArriving(production.id);
  const [inboxOpen, setInboxOpen] = useState(false);
  return (
    <DropArea productionId={production.id}>
      {(choose) => (
        <>
          <ArrivingList productionId={production.id} />
          <Empty
            title={arriving.length ? 'On its way' : 'Drop the finished film here'}
            action={
              <div className="ways">
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

/** Queues everything that can be exported and is not up to date. */
function ExportReady() {
  const production = useThisProduction();
  const exporting = useExport(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const ready = production.versions.filter((v) =>
    ['to-make', 'behind', 'failed', 'failed-check'].includes(v.standing),
  );
  if (ready.length === 0) return null;
  const start = () =>
    exporting.mutate(
      ready.map((v) => v.id),
      {
        onSuccess: (jobs) =>
          enqueueSnackbar(
            jobs.length === 1 ? 'One file is in the queue.' : `${jobs.length} files are in the queue.`,
          ),
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  return (
    <Button variant="contained" disabled={exporting.isPending} onClick={start}>
      Export {countWords(ready.length, 'version')}
    </Button>
  );
}

/** The proof sheet: masters down, placements across, every proof live under one play head. */
export function ProofSheetScreen() {
  const production = useThisProduction();
  const desk = useDesk();
  const [overlays, setOverlays] = useOverlays();
  const [placesFor, setPlacesFor] = useState<string | null>(null);

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
  const [sheetRef, room] = useRoom();
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
  if (production.masters.length === 0) return <NoMasters />;
  return (
    <DropArea productionId={production.id}>
      {() => (
        <>
          {lead?.facts && <SheetHead lead={lead} />}
          <ArrivingList productionId={production.id} />
          <div className="sheet">
            <div className="rows" ref={sheetRef}>
              <div className="switches">
                <span className="left">
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
                <ExportReady />
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
