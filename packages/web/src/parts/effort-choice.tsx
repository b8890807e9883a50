import { effortGainWords, efforts, effortWords, type Effort } from '@mivvy/core';
import { usePreferences } from '../api/queries.ts';
import { Choice } from './choice.tsx';

/** How much time an encoder may take, as a part of a sentence; with what it costs and gains, where that was measured. */
export function EffortChoice({
  label,
  value,
  onChange,
}: {
  label: string;
  value: Effort;
  onChange: (effort: Effort) => void;
}) {
  const measured = usePreferences().data?.effortMeasured;
  const more = (effort: Effort) => {
    const gain = measured?.gains.find((g) => g.effort === effort);
    if (effort === 'usual') return 'what the others are measured by';
    return gain ? effortGainWords(gain) : 'not measured on this machine yet';
  };
  return (
    <Choice
      label={label}
      value={value}
      shown={effortWords[value]}
      options={efforts.map((effort) => ({ value: effort, name: effortWords[effort], more: more(effort) }))}
      onChange={onChange}
    />
  );
}
