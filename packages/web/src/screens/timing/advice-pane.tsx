import { useState } from 'react';
import { keptLength, problemLine, takeAdvice } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { AdvicePanel } from './advice-panel.tsx';
import { useTiming } from './timing-session.tsx';

/** What could go, for the place that it is to fit. */
export function AdvicePane() {
  const { master, shots, work, change, timed, closest, actions, advice: found } = useTiming();
  const { along, advice, marked, mark, spared, spare } = found;
  const [targetId, setTargetId] = useState<string | null>(null);
  if (!change)
    return (
      <aside className="side" aria-label="Advice">
        <h2>What could go</h2>
        <p className="quiet">
          Make a cut, and what could go from it is listed here: silences, shots in which hardly anything moves
          or that were seen before, and long tails, each with what it saves.
        </p>
      </aside>
    );
  const targets = timed.filter((t) => t.version.placement?.duration?.maxSeconds !== undefined);
  return (
    <AdvicePanel
      advice={advice}
      marked={marked}
      onMark={mark}
      onSee={actions.see}
      along={along.data}
      problem={along.error ? problemLine(problemOf(along.error)) : null}
      onRetry={() => void along.refetch()}
      master={master}
      shots={shots}
      target={targets.find((t) => t.version.id === targetId) ?? closest}
      targets={targets}
      onTarget={setTargetId}
      kept={keptLength(work.kept)}
      pace={work.pace}
      spared={spared}
      onSpared={spare}
      onTake={(dropped, pace) => {
        const kept = takeAdvice(work.kept, dropped);
        if (kept.length) mark([]);
        actions.takeEdge(null);
        change({ kept, ...(pace ? { pace } : {}) });
      }}
    />
  );
}
