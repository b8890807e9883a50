import { Link } from 'react-router';
import { enlargement, listWords } from '@mivvy/core';
import { useAccept } from '../../../api/changes.ts';
import { OthersHere } from '../../../parts/others-here.tsx';
import { savingWords } from '../../../parts/saving-words.ts';
import { versionName, type Planned } from '../../../parts/versions.ts';
import { useFraming, useShotEditor } from '../framing-session.tsx';
import { CarrySentence, GuidesSentence, PlanSentence } from '../note-footer.tsx';
import { WindowChoice } from '../over-master.tsx';
import { RoundCall } from '../round-bar.tsx';
import { SubjectNote } from '../subject-note.tsx';
import type { MasterLook } from '../use-master-look.ts';
import { CoverSentence } from './cover-sentence.tsx';
import { FileSentences } from './file-sentences.tsx';
import { FillSentence } from './fill-sentence.tsx';
import { MarginSentence } from './margin-sentence.tsx';
import { MoveSentence } from './move-sentence.tsx';
import { NewerPlace } from './newer-place.tsx';
import { RemoveVersion } from './remove-version.tsx';
import { DrawnSentence } from './drawn-sentence.tsx';
import { SharpenSentence } from './sharpen-sentence.tsx';
import { TroubleNote } from './trouble-note.tsx';
import { WindowSentence } from './window-sentence.tsx';
import { momentWords } from '../../../parts/days.ts';
import { joined } from '../../../parts/joined.ts';
import { NotesHere } from '../../../parts/notes-here.tsx';

/** The versions of the master by their letters. */
function Siblings() {
  const { version, siblings } = useFraming();
  return (
    <div className="siblings" role="navigation" aria-label="Versions of this master">
      {siblings.map((v) => (
        <Link
          key={v.id}
          to={`/productions/${v.productionId}/framing/${v.id}`}
          className={v.id === version.id ? 'on' : ''}
          aria-current={v.id === version.id ? 'page' : undefined}
          aria-label={`${v.tag}, ${versionName(v)}`}
          title={versionName(v)}
        >
          {v.tag}
        </Link>
      ))}
    </div>
  );
}

/** The numbers of the shots that the shot at the head shares its camera with. */
function useCameraShots(): { all: number[]; others: number[] } {
  const { units, unit } = useFraming();
  const all = [...new Set(units.filter((u) => u.setup === unit.setup).map((u) => u.shot + 1))];
  return { all, others: all.filter((n) => n !== unit.shot + 1) };
}

/** Above this many, shots are counted and not named. */
const mostNamed = 8;

function ShotHeading() {
  const { unit, master } = useFraming();
  const { others } = useCameraShots();
  const shotCount = (master.shots ?? []).length || 1;
  const named = `${others.length === 1 ? 'shot' : 'shots'} ${listWords(others.map(String))}`;
  return (
    <h3>
      Shot {unit.shot + 1} of {shotCount} · camera {unit.setup}
      {others.length > 0 && `, with ${others.length > mostNamed ? `${others.length} others` : named}`}
    </h3>
  );
}

/** What is wrong in the shot at the head, and what of it was accepted. */
function ShotTroubles({ planned }: { planned: Planned }) {
  const { version, unit } = useFraming();
  const accept = useAccept();
  const inShot = ({ span }: { span: { from: number; to: number } }) =>
    span.from < unit.to && span.to > unit.from;
  return (
    <>
      {planned.troubles
        .filter((t) => t.severity !== 'note' && inShot(t))
        .map((t) => (
          <TroubleNote
            key={`${t.code} ${t.keepId ?? ''} ${t.area ?? ''} ${t.span.from}`}
            trouble={t}
            planned={planned}
          />
        ))}
      {planned.accepted
        .filter(({ trouble }) => inShot(trouble))
        .map(({ trouble, acceptance }) => (
          <p key={acceptance.mark} className="warn mild">
            {trouble.sentence} Accepted: {acceptance.reason}.{' '}
            <button
              className="fix"
              onClick={() => accept.mutate({ versionId: version.id, mark: acceptance.mark, reason: null })}
            >
              Take that back
            </button>
          </p>
        ))}
    </>
  );
}

/** Whether the shots of one camera share their framing. */
function SharingSentence() {
  const { framing, units, unit, edit } = useFraming();
  const shot = useShotEditor();
  const { all, others } = useCameraShots();
  if (others.length === 0) return null;
  if (!shot.shared)
    return (
      <p>
        Framed on its own.{' '}
        <button className="fix" onClick={() => edit((now) => now.sharedOut())}>
          Use it for all {all.length} shots of camera {unit.setup}
        </button>
        {joined}.
      </p>
    );
  const sharing = units.filter((u) =>
    framing.stretches.some((s) => s.from === u.from && s.setup === unit.setup),
  );
  return (
    <p>
      Set <b>once for camera {unit.setup}</b>: {sharing.length} shots follow it.{' '}
      <button className="fix" onClick={() => edit((now) => now.alone())}>
        Frame this one alone
      </button>
      {joined}.
    </p>
  );
}

/** How much larger or smaller than in the master the picture is delivered. */
function EnlargementSentence() {
  const { panel, displayed, frameSize } = useFraming();
  const shot = useShotEditor();
  const factor = shot.movable
    ? enlargement(shot.windowOf(panel), shot.partOf(panel))
    : Math.min(frameSize.width / displayed.width, frameSize.height / displayed.height);
  if (factor <= 1.005)
    return <p className="quiet">The picture is reduced to {factor.toFixed(2)} of its size.</p>;
  return (
    <p className="warn">
      The picture is enlarged <b>{factor.toFixed(2)} times</b>. A master {Math.ceil(displayed.width * factor)}{' '}
      pixels wide, or a frame {Math.floor(frameSize.width / factor / 2) * 2} wide, would avoid it.
    </p>
  );
}

interface NoteProps {
  over: string[];
  onOver: (over: string[]) => void;
  look: MasterLook;
  onLook: (look: Partial<MasterLook>) => void;
}

/** The delivery note: the version in sentences, with what can be changed underlined. */
export function DeliveryNote({ planned, ...shownOver }: NoteProps & { planned: Planned }) {
  const { version, master, clip, saving, seek } = useFraming();
  const movable = clip.fill.kind === 'filled' || clip.fill.kind === 'stacked';
  // How far it is enlarged is said with the window itself.
  const notes = planned.troubles.filter((t) => t.severity === 'note' && t.code !== 'enlarged');
  return (
    <section className="note" aria-label="Delivery note">
      <Siblings />
      <h2>{versionName(version)}</h2>
      <OthersHere versionId={version.id} />
      <RoundCall />
      <NotesHere version={version} master={master} onSeek={seek} />
      <ShotHeading />
      <SubjectNote />
      <ShotTroubles planned={planned} />
      <FillSentence />
      {movable && <MoveSentence />}
      {movable && <WindowSentence />}
      <SharingSentence />
      <EnlargementSentence />
      <h3>The file</h3>
      <NewerPlace />
      <FileSentences planned={planned} />
      <DrawnSentence />
      <SharpenSentence planned={planned} />
      <CoverSentence planned={planned} />
      {notes.map((t) => (
        <p key={t.code} className="warn mild">
          {t.sentence}
        </p>
      ))}
      <MarginSentence />
      <OtherWindows {...shownOver} />
      <CarrySentence />
      <PlanSentence />
      <GuidesSentence />
      <p className="quiet small" role="status">
        {savingWords[saving]}
        {version.framedBy && version.framedAt && (
          <>
            {' '}
            Framed last by {version.framedBy}, {momentWords(version.framedAt)}.
          </>
        )}
      </p>
      <RemoveVersion version={version} />
    </section>
  );
}

/** Which other versions' windows are shown on the master, and how. */
function OtherWindows({ over, onOver, look, onLook }: NoteProps) {
  const { version, siblings } = useFraming();
  const others = siblings.filter((v) => v.id !== version.id && v.placement);
  return <WindowChoice siblings={others} shown={over} onChange={onOver} look={look} onLook={onLook} />;
}

/** The note while the master is still being read. */
export function WaitingNote() {
  const { version } = useFraming();
  return (
    <section className="note">
      <h2>{versionName(version)}</h2>
      <p className="quiet">Its master is still being read.</p>
    </section>
  );
}
