import { useSnackbar } from 'notistack';
import { nanoid } from 'nanoid';
import { useRef } from 'react';
import { mostLayers, problemLine, startStyles, type Layer, type LayerContent } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useTakeGraphic } from '../../api/dressing.ts';
import { savingWords } from '../../parts/saving-words.ts';
import { UndoButtons } from '../../parts/undo-buttons.tsx';
import { useDesk } from '../../play/use-desk.tsx';
import { DraftSentence } from './draft-sentence.tsx';
import { LayerSentence } from './layer-sentence.tsx';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';

/** Seconds that a new layer stands. */
const usualSeconds = 4;

/** A layer from the play head on, at the place where such a thing usually stands. */
function newLayer(what: LayerContent, name: string, from: number, to: number): Layer {
  const picture = what.kind !== 'words';
  return {
    id: nanoid(8),
    name,
    what,
    span: { from, to },
    fadeIn: 0.2,
    fadeOut: 0.2,
    place: { anchor: picture ? 'top right' : 'bottom left', across: 0, down: 0, width: picture ? 0.25 : 0.9 },
    otherwise: {},
  };
}

/** What lies on the picture, the nearest first, each as a sentence; and what more there can be. */
export function LayerList() {
  const { dressing, change, choose, master, step, saving } = useLayers();
  const desk = useDesk();
  const files = useRef<HTMLInputElement>(null);
  const takeGraphic = useTakeGraphic();
  const { enqueueSnackbar } = useSnackbar();
  const { frames, rate } = master.facts!.video;
  const add = (what: LayerContent, name: string) => {
    if (dressing.layers.length >= mostLayers)
      return void enqueueSnackbar(`A film has at most ${mostLayers} layers.`, { variant: 'warning' });
    const from = Math.min(desk.snapshot().frame, frames - 1);
    const to = Math.min(frames, from + Math.round((usualSeconds * rate.num) / rate.den));
    const layer = newLayer(what, name, from, to);
    change((now) => ({ ...now, layers: [layer, ...now.layers] }));
    choose(layer.id);
  };
  const addWords = () => {
    const titles = dressing.layers.filter((l) => l.what.kind === 'words').length;
    add({ kind: 'words', text: 'Words', style: startStyles[0]! }, `Title ${titles + 1}`);
  };
  const addPicture = (file: File) =>
    takeGraphic.mutate(file, {
      onSuccess: (what) => add(what, file.name.replace(/\.[^.]*$/, '').slice(0, 60) || 'Picture'),
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    });
  return (
    <>
      <div className={styles.head}>
        <h2>On the picture, nearest first</h2>
        <UndoButtons
          undo={master.canDress.undo || saving !== 'saved'}
          redo={master.canDress.redo}
          onStep={(direction) => void step(direction)}
        />
      </div>
      <ul className={styles.sentences}>
        {dressing.layers.map((layer) => (
          <LayerSentence key={layer.id} layer={layer} />
        ))}
        <DraftSentence />
      </ul>
      <p className={styles.add}>
        Add{' '}
        <button className="fix" onClick={addWords}>
          words
        </button>{' '}
        or{' '}
        <button className="fix" onClick={() => files.current?.click()}>
          a picture or a film
        </button>
        .
        <input
          ref={files}
          type="file"
          hidden
          accept=".png,.webp,.jpg,.jpeg,.svg,video/*,.mov,.mkv,.webm"
          data-testid="picture-chooser"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) addPicture(file);
            event.target.value = '';
          }}
        />
      </p>
      <p className={`quiet ${styles.saved}`} aria-live="polite">
        {savingWords[saving]}
      </p>
    </>
  );
}
