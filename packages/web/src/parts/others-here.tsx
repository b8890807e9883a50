import { listWords } from '@mivvy/core';
import { useOthersHere } from '../api/people.ts';

/** Who else has a version open. */
export function OthersHere({ versionId }: { versionId: string }) {
  const others = useOthersHere(versionId);
  if (others.length === 0) return null;
  const names = others.map((name) => name || 'another window');
  return (
    <p className="warn mild" role="status">
      {listWords(names)} {names.length === 1 ? 'has' : 'have'} this version open too.
    </p>
  );
}
