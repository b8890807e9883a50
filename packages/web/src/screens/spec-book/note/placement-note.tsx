import { format } from 'date-fns';
import { EditableText } from '../../../parts/editable-text.tsx';
import { Stamp } from '../../../parts/stamp.tsx';
import { useWho } from '../../../parts/who.ts';
import { useCheckedToday, useRenameOutlet, useRetire } from '../../../api/spec-book.ts';
import { usePlacementDraft } from '../placement-draft.tsx';
import { CaptionSentence } from './caption-sentence.tsx';
import { CoverSentence } from './cover-sentence.tsx';
import { FrameSentence } from './frame-sentence.tsx';
import { PictureSentence } from './picture-sentence.tsx';
import { SoundSentence } from './sound-sentence.tsx';
import { TimeSentence } from './time-sentence.tsx';
import styles from '../spec-book.module.css';

const day = (text: string) => format(new Date(`${text}T00:00`), 'd MMMM yyyy');
const needed = (text: string) => (text.trim() === '' ? 'A name is needed' : undefined);

/** Where the numbers come from, and when they were last compared with that. */
function Evidence() {
  const { page, placement, edit } = usePlacementDraft();
  const { standing, checkedBy } = page;
  const [who] = useWho();
  const checked = useCheckedToday();
  const retire = useRetire();
  return (
    <div className={styles.evidence}>
      <p>
        {standing.checkedOn ? (
          <>
            Checked on <b>{day(standing.checkedOn)}</b>
            {checkedBy && ` by ${checkedBy}`}.
          </>
        ) : (
          'Not checked yet.'
        )}{' '}
        {standing.stale && <Stamp shape="look">Check it again</Stamp>}{' '}
        <button className="fix" onClick={() => checked.mutate({ id: standing.id, by: who })}>
          Checked again today
        </button>
      </p>
      <p>
        Source:{' '}
        <EditableText
          label="Source"
          value={placement.source ?? ''}
          shown={placement.source ?? 'none named'}
          wrong={(text) => (text.length > 400 ? 'At most 400 letters' : undefined)}
          onChange={(source) => edit({ source: source || undefined })}
        />
        . <span className="mono quiet">{standing.id}</span>
      </p>
      <p>
        {standing.retiredOn ? (
          <>
            <Stamp shape="idle">Retired on {day(standing.retiredOn)}</Stamp>{' '}
            <button className="fix" onClick={() => retire.mutate({ id: standing.id, retired: false })}>
              Offer it again
            </button>
          </>
        ) : (
          <>
            It is offered for new versions.{' '}
            <button className="fix" onClick={() => retire.mutate({ id: standing.id, retired: true })}>
              Retire it
            </button>
          </>
        )}
      </p>
    </div>
  );
}

/** A placement as a page of sentences, with what can be changed underlined. */
export function PlacementNote({ onCopy }: { onCopy: () => void }) {
  const { page, placement, edit } = usePlacementDraft();
  const rename = useRenameOutlet();
  const { outlet } = page.standing;
  return (
    <section aria-label="Placement" className={styles.note}>
      <p className={styles.outlet}>
        <EditableText
          label="Outlet’s name"
          value={outlet.name}
          shown={outlet.name}
          wrong={needed}
          onChange={(name) => rename.mutate({ id: outlet.id, name })}
        />
      </p>
      <h1 className={styles.name} aria-label={placement.name}>
        <EditableText
          label="Placement’s name"
          value={placement.name}
          shown={placement.name}
          wrong={needed}
          onChange={(name) => edit({ name })}
        />
      </h1>
      <FrameSentence />
      <TimeSentence />
      <PictureSentence />
      <SoundSentence />
      <CaptionSentence />
      <CoverSentence />
      <Evidence />
      <p>
        <button className="fix" onClick={onCopy}>
          Make another like it
        </button>
      </p>
    </section>
  );
}
