import { Link } from 'react-router';
import { Proof, frameOf } from '../../parts/proof.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { versionName } from '../../parts/versions.ts';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';
import { otherwiseWords } from './version-tags.tsx';
import type { Version } from '@mivvy/api';
import type { Layer } from '@mivvy/core';

const counted = ['no line', 'one line', 'two lines', 'three lines', 'four lines', 'five lines'];
const plain = { blocked: true, margin: false };

/** Why a version does not show a layer. */
function notShownWords({ only, what }: Layer, version: Version): string {
  if (only && !only.includes(version.id)) return 'left out';
  return what.kind === 'patch' ? 'nothing to hide' : 'not in its cut';
}

/** What a version does with the layer at hand, in a word or two. */
function HandWords({ version }: { version: Version }) {
  const { chosen, master } = useLayers();
  const plan = usePlanner();
  if (!chosen) return null;
  const words = otherwiseWords(chosen.otherwise[version.id]);
  const planned = plan(version, master);
  const laid = planned?.planned.laid?.find((l) => l.layer.id === chosen.id);
  const trouble = planned?.troubles.find((t) => t.layerId === chosen.id);
  const lines = laid?.planned.what.kind === 'words' ? laid.planned.what.lines.length : null;
  return (
    <>
      {laid ? (
        <>
          {lines !== null && (counted[lines] ?? `${lines} lines`)}
          {words && <b> {words}</b>}
        </>
      ) : (
        words || notShownWords(chosen, version)
      )}
      {trouble && <span className={styles.worry}> has a trouble</span>}
    </>
  );
}

/** How a version carries captions, in a word or two. */
const captionWords = ({ placement }: Version): string =>
  placement?.captions === 'burned'
    ? 'drawn in'
    : placement?.captions === 'sidecar'
      ? 'beside the film'
      : 'without captions';

/** The other versions of the film, live; a click brings one to the middle. */
export function OtherVersions({ folding }: { folding: 'picture' | 'captions' }) {
  const { siblings, version, master } = useLayers();
  const rest = folding === 'captions' ? '/captions' : '';
  return (
    <section className={styles.others} aria-label="The other versions">
      <h2>The same in the other versions</h2>
      <ul>
        {siblings
          .filter((v) => v.id !== version.id && v.placement)
          .map((v) => {
            const frame = frameOf(v, master);
            const height = frame.width >= frame.height * 1.6 ? 74 : 116;
            const width = Math.round((height * frame.width) / frame.height);
            return (
              <li key={v.id} style={{ width: Math.max(width, 96) }}>
                <Link
                  to={`/productions/${v.productionId}/layers/${v.id}${rest}`}
                  aria-label={`${v.tag}, ${versionName(v)}: bring to the middle`}
                  className="crops"
                  style={{ width, height }}
                >
                  <Proof version={v} master={master} overlays={plain} width={width} />
                </Link>
                <p>
                  <span className={`tag ${styles.edge}`}>{v.tag}</span>{' '}
                  {folding === 'captions' ? captionWords(v) : <HandWords version={v} />}
                </p>
              </li>
            );
          })}
      </ul>
    </section>
  );
}
