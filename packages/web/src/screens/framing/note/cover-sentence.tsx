import { frameToTimecode, sizeLabel } from '@mivvy/core';
import { usePickCover } from '../../../api/changes.ts';
import { StillProof } from '../../../parts/still-proof.tsx';
import type { Planned } from '../../../parts/versions.ts';
import { useDesk } from '../../../play/use-desk.tsx';
import { useFraming, useShotEditor } from '../framing-session.tsx';
import styles from './cover-sentence.module.css';

/** The still that goes with the film: which picture it is, with the one at the head offered. */
export function CoverSentence({ planned }: { planned: Planned }) {
  const { version, master, drawn } = useFraming();
  const { unit, at } = useShotEditor();
  const desk = useDesk();
  const pick = usePickCover();
  const { cover } = planned.planned.plan;
  if (!cover) return null;
  const here = unit.from + at;
  const time = frameToTimecode(cover.frame, master.facts!.video.rate);
  return (
    <div className={styles.cover}>
      <StillProof
        label="The cover"
        master={drawn}
        framing={cover.framing}
        frame={cover.frame}
        size={cover.size}
      />
      <p>
        Its cover, {cover.format === 'png' ? 'PNG' : 'JPEG'} of <b>{sizeLabel(cover.size)}</b>, is the picture
        at{' '}
        <button
          className="fix mono"
          aria-label={`Go to the cover, ${time}`}
          onClick={() => desk.seek(cover.frame)}
        >
          {time}
        </button>
        {version.coverFrame === null && ', the middle of what plays'}.
        {cover.frame !== here && (
          <>
            {' '}
            <button className="fix" onClick={() => pick.mutate({ versionId: version.id, frame: here })}>
              Take the picture at the head
            </button>
          </>
        )}
        {version.coverFrame !== null && (
          <>
            {' '}
            <button className="fix" onClick={() => pick.mutate({ versionId: version.id, frame: null })}>
              Take the middle one
            </button>
          </>
        )}
      </p>
    </div>
  );
}
