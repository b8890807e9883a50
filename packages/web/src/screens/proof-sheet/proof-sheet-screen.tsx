import Button from '@mui/material/Button';
import { useCallback, useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { Link } from 'react-router';
import { countWords, masterSummary } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useArriving } from '../../api/uploads.ts';
import { useKey } from '../../keys/use-key.ts';
import { ArrivingList, DropArea, InboxDialog } from '../../parts/bring-in.tsx';
import { ExportVersions, readyToExport } from '../../parts/export-versions.tsx';
import { Empty } from '../../parts/notices.tsx';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { PlacesForMaster } from '../../parts/places/places-for-master.tsx';
import type { Overlays } from '../../parts/proof.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { useNextTrouble } from '../../parts/troubles.ts';
import { TrueSize } from '../../parts/true-size.tsx';
import { useDesk } from '../../play/use-desk.tsx';
import { Enlarged } from './enlarged.tsx';
import { FoldedMaster } from './folded-master.tsx';
import { Proofs, UnplacedMaster } from './leading-master.tsx';
import { NeedsALook } from './needs-a-look.tsx';
import { SheetHead } from './sheet-head.tsx';
import './proof-sheet.css';

/** The room that an element has, as it changes. */
function useRoom(elementRef: RefObject<HTMLDivElement | null>) {
  const [room, setRoom] = useState({ width: 976, height: 600 });
  const measure = useCallback(
    (found: HTMLDivElement | null) => {
      elementRef.current = found;
      if (!found) return;
      const observer = new ResizeObserver(
        ([entry]) => entry && setRoom({ width: entry.contentRect.width, height: entry.contentRect.height }),
      );
      observer.observe(found);
      return () => observer.disconnect();
    },
    [elementRef],
  );
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

/** The master that leads: the one that led last, else the first that can be worked on. */
function useLead(masters: readonly Master[]): [Master | undefined, (id: string) => void] {
  const desk = useDesk();
  const usable = masters.filter((m) => m.state === 'ready' && m.facts);
  const [chosen, choose] = useState(() => desk.leads());
  const lead = usable.find((m) => m.id === chosen) ?? usable[0];
  const leadId = lead?.id;
  useEffect(() => {
    if (leadId) desk.lead(leadId);
  }, [desk, leadId]);
  return [lead, choose];
}

/** What is said of the leading master over its proofs, with what can be done to all of them. */
function LeadLine({
  lead,
  hasVersions,
  overlays,
  onOverlays,
  onPlaces,
  onTrueSize,
}: {
  lead: Master;
  hasVersions: boolean;
  overlays: Overlays;
  onOverlays: (change: Partial<Overlays>) => void;
  onPlaces: () => void;
  onTrueSize: () => void;
}) {
  const production = useThisProduction();
  const ready = readyToExport(production.versions);
  return (
    <div className="leadline">
      <h2 className="clip">
        <Link to={`/productions/${lead.productionId}/masters/${lead.id}`}>{lead.name}</Link>
      </h2>
      <span className="quiet clip" title={masterSummary(lead.facts!)}>
        {masterSummary(lead.facts!)}
      </span>
      <span className="end">
        {hasVersions && (
          <>
            <OverlaySwitches overlays={overlays} onChange={onOverlays} />
            <button className="fix tall" onClick={onTrueSize}>
              True size
            </button>
            <button className="fix tall" onClick={onPlaces}>
              Add places
            </button>
          </>
        )}
        <ExportVersions versions={ready}>Export {countWords(ready.length, 'version')}</ExportVersions>
      </span>
    </div>
  );
}

/** A line of a master that does not lead. */
const foldedHeight = 41;

/** The proof sheet: every version of the leading master live under one play head, the other masters in a line each. */
export function ProofSheetScreen() {
  const production = useThisProduction();
  const plan = usePlanner();
  const [overlays, setOverlays] = useOverlays();
  const [placesFor, setPlacesFor] = useState<string | null>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [sheetRef, room] = useRoom(scroller);
  const [lead, choose] = useLead(production.masters);
  const rows = useMemo(
    () =>
      production.masters.map((master) => ({
        master,
        versions: production.versions
          .filter((v) => v.masterId === master.id)
          .map((version) => ({ version, planned: plan(version, master) })),
      })),
    [production, plan],
  );
  const leading = rows.find((r) => r.master.id === lead?.id);
  const others = rows.filter((r) => r !== leading);
  const height = room.height - (others.length ? 14 + others.length * foldedHeight : 0);
  const proofRoom = useMemo(() => ({ width: room.width, height }), [room.width, height]);
  const chosen = production.masters.find((m) => m.id === placesFor);
  const [enlargedId, setEnlargedId] = useState<string | null>(null);
  const [trueSizeId, setTrueSizeId] = useState<string | null>(null);
  const shown = leading?.versions ?? [];
  const enlarged = shown.find((v) => v.version.id === enlargedId);
  const trueSize = shown.find((v) => v.version.id === trueSizeId);
  const stepEnlarged = (by: number) => {
    const at = shown.findIndex((v) => v.version.id === enlargedId);
    setEnlargedId(shown[(at + by + shown.length) % shown.length]?.version.id ?? null);
  };
  const nextTrouble = useNextTrouble();
  useKey('Everywhere.nextTrouble', () => nextTrouble());
  useKey('Proof sheet.enlarge', () => setEnlargedId(shown[0]?.version.id ?? null));
  if (production.masters.length === 0) return <NoMasters />;
  return (
    <DropArea productionId={production.id}>
      {() => (
        <>
          {lead && <SheetHead lead={lead} />}
          <ArrivingList productionId={production.id} />
          <div className="sheet">
            <div className="rows">
              {lead && (
                <LeadLine
                  lead={lead}
                  hasVersions={shown.length > 0}
                  overlays={overlays}
                  onOverlays={setOverlays}
                  onPlaces={() => setPlacesFor(lead.id)}
                  onTrueSize={() => setTrueSizeId(shown[0]?.version.id ?? null)}
                />
              )}
              <div className="proofroom" ref={sheetRef} data-testid="proof-room">
                {leading && shown.length > 0 && (
                  <Proofs
                    master={leading.master}
                    versions={shown}
                    overlays={overlays}
                    room={proofRoom}
                    scroller={scroller}
                    onEnlarge={(v) => setEnlargedId(v.id)}
                  />
                )}
                {lead && shown.length === 0 && (
                  <UnplacedMaster master={lead} onPlaces={() => setPlacesFor(lead.id)} />
                )}
                {others.map(({ master, versions }) => (
                  <FoldedMaster
                    key={master.id}
                    master={master}
                    versions={versions}
                    onLead={() => choose(master.id)}
                  />
                ))}
              </div>
            </div>
            <NeedsALook production={production} />
          </div>
          {enlarged && leading && (
            <Enlarged
              version={enlarged.version}
              master={leading.master}
              planned={enlarged.planned}
              overlays={overlays}
              onStep={stepEnlarged}
              onClose={() => setEnlargedId(null)}
            />
          )}
          {trueSize && leading && (
            <TrueSize
              version={trueSize.version}
              master={leading.master}
              overlays={overlays}
              onClose={() => setTrueSizeId(null)}
            />
          )}
          {chosen && (
            <PlacesForMaster
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
