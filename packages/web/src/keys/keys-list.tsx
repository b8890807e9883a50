import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import { keyAction, keyTable, type KeyName, type KeyPlace } from './registry.ts';
import styles from './keys-sheet.module.css';

/** The keys of one place that have a line of their own on the sheet. */
const linesOf = (place: KeyPlace) =>
  Object.keys(keyTable[place]).flatMap((action) => {
    const { shown, also, does } = keyAction(`${place}.${action}` as KeyName);
    return shown ? [{ shown: also ? `${shown} or ${also}` : shown, does }] : [];
  });

/** All keys, by where they work. */
export function KeysList({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogContent className={styles.sheet}>
        <h2 id="keys-title">Keys</h2>
        {(Object.keys(keyTable) as KeyPlace[]).map((place) => (
          <section key={place}>
            <h3 className="quiet">{place}</h3>
            <dl>
              {linesOf(place).map(({ shown, does }) => [
                <dt key={shown} className="mono">
                  {shown}
                </dt>,
                <dd key={does}>{does}</dd>,
              ])}
            </dl>
          </section>
        ))}
      </DialogContent>
    </Dialog>
  );
}
