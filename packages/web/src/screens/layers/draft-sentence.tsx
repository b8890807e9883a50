import { Choice } from '../../parts/choice.tsx';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';

/** Whether files say that they are drafts, and in which versions they do. */
export function DraftSentence() {
  const { dressing, change, siblings } = useLayers();
  const done = siblings.filter((v) => v.approved);
  return (
    <li className={styles.plain}>
      <b>Draft</b>{' '}
      <Choice
        label="Draft mark"
        value={dressing.draftMark ? 'on' : 'off'}
        shown={
          dressing.draftMark ? 'is written across each file until one is approved' : 'is written nowhere'
        }
        options={[
          {
            value: 'on',
            name: 'is written across each file until one is approved',
            more: 'the file that is made after an approval is clean',
          },
          { value: 'off', name: 'is written nowhere' },
        ]}
        onChange={(value) => change((now) => ({ ...now, draftMark: value === 'on' }))}
      />
      .
      {dressing.draftMark && done.length > 0 && (
        <>
          {' '}
          {done.map((v) => v.tag).join(', ')} {done.length === 1 ? 'is' : 'are'} approved, and clean.
        </>
      )}
    </li>
  );
}
