import { frameToTimecode } from '@mivvy/core';
import { PathRow } from '../../parts/score/path-row.tsx';
import { Dropped, KeepRow, moveWord, TroubleRow } from '../../parts/score/rows.tsx';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { useNextTrouble } from '../../parts/troubles.ts';
import { useFraming } from './framing-session.tsx';
import { WayEditor } from './way-editor.tsx';

/** The transport and what can be said of the film's length beside it. */
function TransportLine() {
  const { shown, master, frames, unit, planned } = useFraming();
  const nextTrouble = useNextTrouble(shown);
  const waiting = planned?.troubles.filter((t) => t.severity !== 'note').length ?? 0;
  return (
    <div className="transportline">
      <Transport master={master} shot={unit} />
      <span className="quiet">
        of <span className="mono">{frameToTimecode(frames, master.facts!.video.rate)}</span>
      </span>
      {waiting > 0 && (
        <button className="fix tall" onClick={() => nextTrouble()}>
          Next trouble
        </button>
      )}
      <span className="quiet clip hint">
        Drag the window or the proof, scroll to zoom, arrows to nudge, [ and ] for the shots, ? for all keys
      </span>
    </div>
  );
}

/** The film along its length: shots, the window's way, keeps, troubles. */
export function FramingScore() {
  const { master, framing, shots, unit, units, frameSize, frames, keeps, planned, cut, follows } =
    useFraming();
  return (
    <div className="score">
      <TransportLine />
      {follows && (
        <>
          <div className="labels">
            <span className="tall-way">This shot</span>
          </div>
          <WayEditor />
        </>
      )}
      <div className="labels">
        <span className="ruled">Film</span>
        <span className="shots">Shots</span>
        <span className="way">Window’s way</span>
        <span className="keeps">Keeps</span>
        <span className="troubles">Troubles</span>
      </div>
      <Score master={master}>
        <ShotRow
          master={master}
          shots={shots}
          chosen={unit}
          words={(i) => moveWord(framing, shots[i]!.from)}
        />
        <PathRow framing={framing} units={units} master={master} frameSize={frameSize} />
        <KeepRow keeps={keeps} frames={frames} />
        <TroubleRow troubles={planned?.troubles ?? []} frames={frames} />
        {cut && <Dropped kept={cut.kept} frames={frames} />}
      </Score>
    </div>
  );
}
