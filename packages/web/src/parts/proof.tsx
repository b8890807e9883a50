import { useMemo, useSyncExternalStore } from 'react';
import {
  isPlaced,
  frameForMaster,
  insideMargins,
  marginsFor,
  playsAt,
  type FrameFraction,
  type Size,
} from '@mivvy/core';
import type { Cut, Master, Version } from '@mivvy/api';
import { useJobAbout } from '../api/queries.ts';
import { useDesk, useFilm, useHeadPart } from '../play/use-desk.tsx';
import { ProofCanvas } from '../play/proof-canvas.tsx';
import { usePlanner } from './seen.tsx';
import { useWidth } from './use-width.ts';
import { useThisProduction } from './this-production.ts';
import { cutOf, drawnMaster, versionName, type Planned } from './versions.ts';
import styles from './proof.module.css';

const percent = (n: number) => `${n * 100}%`;
const place = (r: FrameFraction) => ({
  left: percent(r.x),
  top: percent(r.y),
  width: percent(r.width),
  height: percent(r.height),
});

/** What is drawn over a proof. */
export interface Overlays {
  blocked: boolean;
  margin: boolean;
}

/** The frame that a version is delivered in. */
export function frameOf(version: Version, master: Master | undefined): Size {
  const placement = version.placement;
  if (!placement) return { width: 1, height: 1 };
  return master?.facts
    ? frameForMaster(master.facts.video.displayed, placement.frame, placement.largerFrame)
    : placement.frame;
}

/** Room that a letter of a blocked area's name takes at most, and the edges beside it; screen pixels. */
const letterWidth = 6;
const nameEdges = 8;

/** A name is shown where its longest word has room: it is never broken inside one. */
const hasRoom = (name: string, width: number): boolean =>
  Math.max(...name.split(/\s+/).map((word) => word.length)) * letterWidth + nameEdges <= width;

/** Where the outlet draws over the picture, and the safe margin. `width` is that of the proof, where it is known. */
export function ProofOverlays({
  version,
  overlays,
  width,
}: {
  version: Version;
  overlays: Overlays;
  width?: number | undefined;
}) {
  const { placement } = version;
  const { margin } = useThisProduction();
  const [measure, , measured] = useWidth();
  const margins = placement && marginsFor(margin, placement);
  if (!placement) return null;
  return (
    <>
      {width === undefined && <div ref={measure} className="measure" />}
      {overlays.margin && margins && <div className="margin" style={place(insideMargins(margins))} />}
      {overlays.blocked &&
        placement.blocked?.map((area) => (
          <div key={area.name} className="blocked" style={place(area)} title={area.name}>
            {hasRoom(area.name, area.width * (width ?? measured)) && area.name}
          </div>
        ))}
    </>
  );
}

/** How far the proxy of a master has come; it moves on many times a second, and nothing else is drawn with it. */
function MakingProxy({ master }: { master: Master }) {
  const job = useJobAbout(master.productionId, master.id);
  return <>Making a proxy, {Math.round((job?.fraction ?? 0) * 100)} %</>;
}

/** Why a film cannot be shown yet, in words. */
function WaitingWords({ master }: { master: Master | undefined }) {
  if (!master) return <>The master is gone</>;
  if (master.state === 'failed') return <>The master cannot be used</>;
  if (master.proof.kind === 'making-proxy') return <MakingProxy master={master} />;
  if (master.proof.kind === 'none') return <>No proxy could be made</>;
  return <>Reading the master</>;
}

/** Why a film that is there does not play, in words. */
function unplayableWords(master: Master | undefined): string {
  if (master?.file === 'changed') return 'The film was changed on the disk';
  if (master?.file === 'gone') return 'The film is not where it was';
  return 'This browser cannot play the film';
}

/** Lies over a proof where the play head stands in what the version's cut leaves out. */
function LeftOut({ cut }: { cut: Cut }) {
  const desk = useDesk();
  const out = useSyncExternalStore(desk.subscribe, () => playsAt(cut.kept, desk.snapshot().frame) === null);
  return out ? (
    <div className="leftout">
      <span>Not in “{cut.name}”</span>
    </div>
  ) : null;
}

/** The live proof of a version, in the size that it is given. */
export function Proof({
  version,
  master,
  overlays,
  width,
}: {
  version: Version;
  master: Master | undefined;
  overlays: Overlays;
  width?: number;
}) {
  const drawn = drawnMaster(version, master, useThisProduction().textlessMasters);
  // The master leads the play head, whichever film is drawn.
  useFilm(master);
  const film = useFilm(drawn);
  const failed = useHeadPart('failed');
  const frame = frameOf(version, master);
  const cut = cutOf(version, master);
  const plan = usePlanner()(version, master)?.planned.plan;
  const source = useMemo(
    () => ({ framing: version.framing, frameSize: frame, plan }),
    [version.framing, frame, plan],
  );
  return (
    <div className={`picture ${styles.fill}`}>
      {film ? <ProofCanvas film={film} source={source} label={`Proof of ${versionName(version)}`} /> : null}
      {(!film || failed === drawn?.id) && (
        <div className="waiting">{film ? unplayableWords(drawn) : <WaitingWords master={drawn} />}</div>
      )}
      <ProofOverlays version={version} overlays={overlays} width={width} />
      {cut && <LeftOut cut={cut} />}
    </div>
  );
}

/** The whole master, live. */
export function WholeMaster({ master }: { master: Master }) {
  const film = useFilm(master);
  const failed = useHeadPart('failed');
  return (
    <div className={`picture ${styles.fill}`}>
      {film ? <ProofCanvas film={film} source="whole" label={`Master: ${master.name}`} /> : null}
      {(!film || failed === master.id) && (
        <div className="waiting">{film ? unplayableWords(master) : <WaitingWords master={master} />}</div>
      )}
    </div>
  );
}

/** The play head on a strip. */
function HeadMark({ frames }: { frames: number }) {
  const frame = useHeadPart('frame');
  return <b className="head" style={{ left: percent(Math.min(1, frame / Math.max(1, frames - 1))) }} />;
}

/** Troubles along a version's length, with the play head. */
export function TroubleStrip({ planned, master }: { planned: Planned | null; master: Master | undefined }) {
  const frames = master?.facts?.video.frames ?? 1;
  const shown = planned?.troubles.filter(isPlaced) ?? [];
  return (
    <div className="strip" aria-hidden>
      {shown.map((t, i) => (
        <b
          key={`${t.code} ${i}`}
          className={t.severity}
          style={{ left: percent(t.span.from / frames), width: percent((t.span.to - t.span.from) / frames) }}
        />
      ))}
      <HeadMark frames={frames} />
    </div>
  );
}
