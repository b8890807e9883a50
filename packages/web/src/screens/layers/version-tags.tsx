import { layerIn, type Layer, type LayerOtherwise } from '@mivvy/core';
import { versionName } from '../../parts/versions.ts';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';

/** What one version shows otherwise, in words; empty where nothing. */
export function otherwiseWords(own: LayerOtherwise | undefined): string {
  if (!own) return '';
  if (own.out) return 'left out';
  const parts = [
    own.place && Object.keys(own.place).length ? 'placed by itself' : '',
    own.text === undefined ? '' : 'in other words',
    own.size === undefined ? '' : 'in another size',
    own.picture === undefined ? '' : 'with another picture',
  ].filter(Boolean);
  return parts.join(', ');
}

/** The versions that show a layer, by their tags; a click leaves it out of one, or shows it again. */
export function VersionTags({ layer }: { layer: Layer }) {
  const { siblings, edit } = useLayers();
  const toggle = (id: string) =>
    edit(layer.id, (l) => {
      if (l.only && !l.only.includes(id)) return { ...l, only: [...l.only, id] };
      const { out, ...own } = l.otherwise[id] ?? {};
      return { ...l, otherwise: { ...l.otherwise, [id]: out ? own : { ...own, out: true } } };
    });
  const differing = siblings.filter((v) => {
    const own = layer.otherwise[v.id];
    return own && !own.out && otherwiseWords(own) !== '';
  });
  return (
    <>
      <span className={styles.tags}>
        {siblings.map((v) => {
          const out = layerIn(layer, v.id) === null;
          return (
            <button
              key={v.id}
              className={`tag ${out ? styles.out : ''}`}
              aria-pressed={!out}
              aria-label={`${layer.name} in ${v.tag}, ${versionName(v)}`}
              title={`${versionName(v)}: ${out ? 'left out; show it' : 'shown; leave it out'}`}
              onClick={() => toggle(v.id)}
            >
              {v.tag}
            </button>
          );
        })}
      </span>
      {differing.map((v) => (
        <span key={v.id}>
          ; in {v.tag} {otherwiseWords(layer.otherwise[v.id])} (
          <button
            className="fix"
            onClick={() =>
              edit(layer.id, (l) => {
                const { [v.id]: _own, ...rest } = l.otherwise;
                return { ...l, otherwise: rest };
              })
            }
          >
            as everywhere
          </button>
          )
        </span>
      ))}
    </>
  );
}
