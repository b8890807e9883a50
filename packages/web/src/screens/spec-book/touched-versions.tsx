import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { neededWords } from '@mivvy/core';
import type { TouchedVersion } from '@mivvy/api';
import { useBringOver } from '../../api/spec-book.ts';
import { usePlacementDraft } from './placement-draft.tsx';
import styles from './spec-book.module.css';

/** What a version needs to be made for the place as it holds today. */
function needs({ needs: needed, hasFile }: TouchedVersion): string {
  if (needed === null) return ', and its master has not been read';
  if (!hasFile && needed !== 'framing') return ' and has no file yet';
  return `; brought over, it ${neededWords[needed]}`;
}

/** Versions that are made for this placement; those of an older revision can be brought over, singly or together. */
export function TouchedVersions() {
  const { page } = usePlacementDraft();
  const bring = useBringOver();
  const { versions, standing } = page;
  const behind = versions.filter((v) => v.placementRevision !== standing.revision);
  return (
    <section aria-label="Versions of this placement">
      <h2>{versions.length === 0 ? 'No version is made for it' : 'Versions that are made for it'}</h2>
      {behind.length > 0 && (
        <p className={styles.all}>
          {behind.length} of {versions.length} keep to an earlier revision.{' '}
          <Button
            variant="outlined"
            size="small"
            disabled={bring.isPending}
            onClick={() => bring.mutate(behind.map((v) => v.id))}
          >
            Bring all over to revision {standing.revision}
          </Button>
        </p>
      )}
      <ul className={styles.versions}>
        {versions.map((v) => {
          const isBehind = v.placementRevision !== standing.revision;
          return (
            <li key={v.id}>
              <span className="tag">{v.tag}</span>{' '}
              <Link to={`/productions/${v.productionId}/framing/${v.id}`}>
                {v.production}, {v.master}
              </Link>{' '}
              {isBehind ? (
                <>
                  keeps to revision {v.placementRevision}
                  {needs(v)}.{' '}
                  <button className="fix" disabled={bring.isPending} onClick={() => bring.mutate([v.id])}>
                    Bring it over
                  </button>
                </>
              ) : (
                <span className="quiet">is made for revision {v.placementRevision}</span>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
