import Button from '@mui/material/Button';
import { frameToTimecode, keptLength, playsAt, timeLeftFigures, timeLeftWords, type Size } from '@mivvy/core';
import { useOverlays } from '../../parts/overlay-switches.tsx';
import { frameOf, Proof, WholeMaster } from '../../parts/proof.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { UndoButtons } from '../../parts/undo-buttons.tsx';
import { versionName } from '../../parts/versions.ts';
import { useHeadPart } from '../../play/use-desk.tsx';
import { breaksTime } from './place-times.tsx';
import { RunningOrder } from './running-order.tsx';
import { useTiming } from './timing-session.tsx';

const wellGap = 16;

/** Pictures side by side, of one height and each in its own shape, as large as the well allows. */
const sideBySide = (sizes: readonly Size[]) =>
  sizes.map((s) => ({
    aspectRatio: `${s.width} / ${s.height}`,
    height: `min(100cqh, calc((100cqw - ${(sizes.length - 1) * wellGap}px) / ${sizes.reduce((sum, x) => sum + x.width / x.height, 0)}))`,
  }));

/** Where the play head stands in what plays, of its whole length. */
function PlaceInCut() {
  const { work, frames, rate } = useTiming();
  const at = Math.min(useHeadPart('frame'), frames - 1);
  const place = playsAt(work.kept, at);
  return (
    <span className="mono quiet clip" data-testid="place-in-cut">
      {place === null ? 'not in the cut' : frameToTimecode(place, rate)} of{' '}
      {frameToTimecode(keptLength(work.kept), rate)}
    </span>
  );
}

/** How much time the place that is nearest to its limit has left. */
function ClosestLimit() {
  const { closest } = useTiming();
  if (!closest?.planned) return null;
  return (
    <span className="closest" data-testid="time-left">
      <Stamp shape={breaksTime(closest) ? 'fail' : 'pass'}>{timeLeftWords(closest.planned.time)}</Stamp>{' '}
      <b>{versionName(closest.version)}</b>{' '}
      <span className="mono quiet">{timeLeftFigures(closest.planned.time)}</span>
    </span>
  );
}

/** The film and a version of it, live, and the order in which its spans play. */
export function FilmPane({ onNew }: { onNew: () => void }) {
  const { master, shownMaster, cut, work, change, saving, step, shown, chosenSpan, actions } = useTiming();
  const [overlays] = useOverlays();
  const { displayed } = master.facts!.video;
  const [masterFit, proofFit] = sideBySide([displayed, ...(shown ? [frameOf(shown.version, master)] : [])]);
  return (
    <section className="table" aria-label="Film">
      <div className="bar">
        <span className="barstart">
          <b>{cut ? work.name : 'Full film'}</b>
          <PlaceInCut />
          {cut && <UndoButtons undo={cut.can.undo || saving !== 'saved'} redo={cut.can.redo} onStep={step} />}
        </span>
        <ClosestLimit />
      </div>
      <div className="well">
        <div style={masterFit}>
          <WholeMaster master={master} />
        </div>
        {shown && (
          <div style={proofFit}>
            <Proof version={shown.version} master={shownMaster} overlays={overlays} />
          </div>
        )}
      </div>
      {change ? (
        <RunningOrder
          master={master}
          kept={work.kept}
          chosen={chosenSpan}
          onGo={(i) => actions.see(work.kept[i]!.from)}
          onMove={actions.move}
        />
      ) : (
        <div className="callout">
          <Button variant="contained" onClick={onNew}>
            Make a cut
          </Button>
          <span className="quiet">
            A shorter one beside the full film: drop shots, trim them, change their order, and see the time
            left at every place.
          </span>
        </div>
      )}
    </section>
  );
}
