import { format } from 'date-fns';
import { codecLabel } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { useMeasureEfforts, usePreferenceChange } from '../../api/changes.ts';
import { problemOf } from '../../api/client.ts';
import { usePreferences } from '../../api/queries.ts';
import { EffortChoice } from '../../parts/effort-choice.tsx';
import { joined } from '../../parts/joined.ts';
import { ProblemNote } from '../../parts/notices.tsx';

/** Speed against quality: one choice for what is asked for from now on, measured on this machine. */
export function EffortSentence({ sample }: { sample: Version | undefined }) {
  const preferences = usePreferences().data;
  const prefer = usePreferenceChange();
  const measure = useMeasureEfforts();
  if (!preferences) return null;
  const { effort, effortMeasured: measured } = preferences;
  return (
    <>
      <p className="quiet">
        What is asked for from now on is encoded{' '}
        <EffortChoice label="Effort" value={effort} onChange={(next) => prefer.mutate({ effort: next })} />
        {measured &&
          ` (measured on “${measured.film}” in ${codecLabel(measured.codec)}, ${format(new Date(measured.at), 'd MMM')})`}
        .{' '}
        {measure.isPending ? (
          <span role="status">Measuring, about a minute …</span>
        ) : (
          sample && (
            <>
              <button className="fix" onClick={() => measure.mutate(sample.id)}>
                {measured ? 'Measure again' : 'Measure what each costs and gains here'}
              </button>
              {joined}.
            </>
          )
        )}
      </p>
      {measure.isError && <ProblemNote problem={problemOf(measure.error)} />}
    </>
  );
}
