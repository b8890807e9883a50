import { Link } from 'react-router';
import { countWords } from '@mivvy/core';
import { useMachines } from '../../api/machines.ts';

/** What makes the files of a run, and why nothing does where nothing does. Nothing where it is the server alone. */
export function MadeBy() {
  const told = useMachines().data;
  if (!told) return null;
  const see = (
    <Link className="fix" to="/machines">
      See what makes them
    </Link>
  );
  if (told.waiting)
    return (
      <p className="warn">
        {told.waiting.sentence} {told.waiting.mend} {see}
      </p>
    );
  const taking = told.machines.filter((machine) => machine.there && !machine.draining && !machine.trouble);
  if (taking.length === 0) return null;
  return (
    <p className="quiet">
      Made by {told.here.exports && 'this server and '}
      {countWords(taking.length, 'render machine')}. {see}
    </p>
  );
}
