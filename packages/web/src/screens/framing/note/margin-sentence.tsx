import { publishedMargins, type MarginChoice } from '@mivvy/core';
import { useRenameProduction } from '../../../api/changes.ts';
import { Choice } from '../../../parts/choice.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { useThisProduction } from '../../../parts/this-production.ts';

/** Which margin keeps are held to; one choice for the whole production. */
export function MarginSentence() {
  const production = useThisProduction();
  const change = useRenameProduction(production.id);
  const { margin } = production;
  const value = margin.kind === 'place' ? 'place' : margin.kind === 'published' ? margin.id : 'percent';
  const shown =
    margin.kind === 'place'
      ? 'as each place says'
      : margin.kind === 'published'
        ? publishedMargins.find((m) => m.id === margin.id)!.name
        : `${margin.inner} per cent`;
  const set = (next: MarginChoice) => change.mutate({ margin: next });
  return (
    <p>
      Safe margin{' '}
      <Choice
        label="Safe margin"
        value={value}
        shown={shown}
        options={[
          { value: 'place', name: 'as each place says' },
          ...publishedMargins.map((m) => ({ value: m.id, name: m.name, more: m.source })),
          { value: 'percent', name: 'an inner share of the frame', more: 'in per cent of width and height' },
        ]}
        onChange={(v) =>
          set(
            v === 'place'
              ? { kind: 'place' }
              : v === 'percent'
                ? { kind: 'percent', inner: 90 }
                : { kind: 'published', id: v as (typeof publishedMargins)[number]['id'] },
          )
        }
      />
      {margin.kind === 'percent' && (
        <>
          :{' '}
          <EditableNumber
            label="Inner share"
            value={margin.inner}
            shown={`${margin.inner} %`}
            min={50}
            max={100}
            unit="per cent; 100 is the frame’s edge"
            onChange={(inner) => set({ kind: 'percent', inner })}
          />
        </>
      )}
      .
    </p>
  );
}
