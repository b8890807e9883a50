import { bytesLabel, countWords } from '@mivvy/core';
import type { Machine, Machines } from '@mivvy/api';
import { useMachineChange, useRemoveMachine } from '../../api/machines.ts';
import { problemOf } from '../../api/client.ts';
import { Choice } from '../../parts/choice.tsx';
import { momentWords } from '../../parts/days.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { Doing } from './doing.tsx';
import { limits, limitWords, recordWords, standingOf, type Limit } from './machine-words.ts';
import styles from './machines.module.css';

/** One machine: what it does, how fast, and what it may. */
export function MachineRow({ machine, here }: { machine: Machine; here: Machines['here'] }) {
  const change = useMachineChange();
  const remove = useRemoveMachine();
  const { id, name } = machine;
  const { shape, word } = standingOf(machine);
  const limit = machine.atOnce === null ? 'bears' : (`${machine.atOnce}` as Limit);
  const failed = [change, remove].find((each) => each.isError);
  return (
    <li>
      <div className={styles.head}>
        <h2>{name}</h2>
        <Stamp shape={shape}>{word}</Stamp>
      </div>
      <div>
        <p>
          {countWords(machine.cores, 'core')}, takes{' '}
          <Choice
            label={`What ${name} may do at once`}
            value={limit}
            shown={limitWords(limit)}
            options={limits.map((value) => ({ value, name: limitWords(value) }))}
            onChange={(value) => change.mutate({ id, atOnce: value === 'bears' ? null : Number(value) })}
          />
          . {recordWords(machine, here)}
        </p>
        <p className="quiet">
          Its disk holds {bytesLabel(machine.cacheBytes)} of films, {bytesLabel(machine.cacheLimit)} at most.{' '}
          {!machine.there && `Last heard of ${momentWords(machine.lastSeenAt)}.`}
        </p>
        {machine.trouble && (
          <p className="warn fault">
            {machine.trouble.sentence} {machine.trouble.mend}
          </p>
        )}
        <Doing jobs={machine.doing} />
        <details className={styles.log}>
          <summary>Its log</summary>
          <pre>{machine.log || 'It has said nothing yet.'}</pre>
        </details>
        {failed && <ProblemNote problem={problemOf(failed.error)} />}
      </div>
      <div className={styles.acts}>
        <button className="fix tall" onClick={() => change.mutate({ id, draining: !machine.draining })}>
          {machine.draining ? 'Let it take work' : 'Take nothing more'}
        </button>
        <button className="fix tall" aria-label={`Remove ${name}`} onClick={() => remove.mutate(id)}>
          Remove
        </button>
      </div>
    </li>
  );
}
