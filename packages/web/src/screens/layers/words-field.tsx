import { mostLetters, type Layer, type LayerContent } from '@mivvy/core';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';

/** The words of a title, typed where they stand; in this version alone where changes are for it. */
export function WordsField({
  layer,
  words,
}: {
  layer: Layer;
  words: Extract<LayerContent, { kind: 'words' }>;
}) {
  const { edit, scope, version } = useLayers();
  const own = layer.otherwise[version.id]?.text;
  const write = (text: string) =>
    edit(layer.id, (l) => {
      if (scope === 'every' && l.what.kind === 'words' && own === undefined)
        return { ...l, what: { ...l.what, text } };
      return { ...l, otherwise: { ...l.otherwise, [version.id]: { ...l.otherwise[version.id], text } } };
    });
  return (
    <>
      <textarea
        className={styles.words}
        aria-label={`Words of ${layer.name}`}
        value={own ?? words.text}
        maxLength={mostLetters}
        rows={Math.min(5, Math.max(2, (own ?? words.text).split('\n').length))}
        onChange={(event) => write(event.target.value)}
      />
      {own !== undefined && (
        <p className="quiet">
          These words are {version.tag}’s own.{' '}
          <button
            className="fix"
            onClick={() =>
              edit(layer.id, (l) => {
                const { text: _text, ...rest } = l.otherwise[version.id] ?? {};
                return { ...l, otherwise: { ...l.otherwise, [version.id]: rest } };
              })
            }
          >
            Use everyone’s
          </button>
        </p>
      )}
    </>
  );
}
