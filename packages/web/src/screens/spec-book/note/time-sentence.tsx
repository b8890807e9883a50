import { durationLabel, parseRate } from '@mivvy/core';
import { EditableText, OptionalNumber } from '../../../parts/editable-text.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';

const longest = 86_400;
const isRate = (text: string) => parseRate(text).ok;

/** How long a film may be, and at which rates it is taken. */
export function TimeSentence() {
  const { placement, edit } = usePlacementDraft();
  const { minSeconds, maxSeconds } = placement.duration ?? {};
  const { max, allowed } = placement.frameRate ?? {};
  const limits = (change: object) => {
    const { minSeconds: least, maxSeconds: most } = { minSeconds, maxSeconds, ...change };
    edit({
      duration:
        least === undefined && most === undefined ? undefined : { minSeconds: least, maxSeconds: most },
    });
  };
  const rates = (change: object) => {
    const next = { max, allowed, ...change };
    edit({ frameRate: next.max === undefined && next.allowed === undefined ? undefined : next });
  };
  return (
    <>
      <p>
        Runs at least{' '}
        <OptionalNumber
          label="Shortest length, seconds"
          value={minSeconds}
          shown={minSeconds === undefined ? 'any time' : <b>{durationLabel(minSeconds)}</b>}
          min={0.04}
          max={longest}
          unit="s"
          onChange={(value) => limits({ minSeconds: value })}
        />{' '}
        and at most{' '}
        <OptionalNumber
          label="Longest length, seconds"
          value={maxSeconds}
          shown={maxSeconds === undefined ? 'any time' : <b>{durationLabel(maxSeconds)}</b>}
          min={0.04}
          max={longest}
          unit="s"
          onChange={(value) => limits({ maxSeconds: value })}
        />
        .
      </p>
      <p>
        Taken at{' '}
        <EditableText
          label="Frame rates that are taken"
          value={allowed?.join(', ') ?? ''}
          shown={allowed ? <b>{allowed.join(', ')}</b> : 'any'}
          hint="As in 25, 30000/1001; empty: any"
          wrong={(text) =>
            text.trim() === '' || text.split(',').every((part) => isRate(part.trim()))
              ? undefined
              : 'Rates with commas between, as in 25, 30000/1001'
          }
          onChange={(text) =>
            rates({ allowed: text === '' ? undefined : text.split(',').map((part) => part.trim()) })
          }
        />{' '}
        frames a second,{' '}
        <EditableText
          label="Highest frame rate"
          value={max ?? ''}
          shown={max ? <b>at most {max}</b> : 'without a limit'}
          hint="As in 30 or 60000/1001; empty: no limit"
          wrong={(text) => (text.trim() === '' || isRate(text.trim()) ? undefined : 'As in 30 or 60000/1001')}
          onChange={(text) => rates({ max: text === '' ? undefined : text })}
        />
        .
      </p>
    </>
  );
}
