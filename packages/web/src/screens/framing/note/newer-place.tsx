import { Link } from 'react-router';
import { differenceWords, placementDifferences } from '@mivvy/core';
import { useBringOver } from '../../../api/spec-book.ts';
import { useFraming } from '../framing-session.tsx';

/** The place asks for something else since this version was made for it: it keeps its own until it is brought over. */
export function NewerPlace() {
  const { version } = useFraming();
  const bring = useBringOver();
  const { placement, newerPlace, placementRevision } = version;
  if (!placement || !newerPlace) return null;
  const changed = placementDifferences(placement, newerPlace.placement).map(differenceWords);
  return (
    <p className="warn">
      Made for revision {placementRevision} of its place.{' '}
      <Link to={`/spec-book/${version.placementId}`}>Revision {newerPlace.revision}</Link> asks for something
      else: {changed.join('; ')}.{' '}
      <button className="fix" disabled={bring.isPending} onClick={() => bring.mutate([version.id])}>
        Bring this version over
      </button>
    </p>
  );
}
