import type { Placement } from '@mivvy/core';
import { EditableText } from '../../parts/editable-text.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { usePlacementDraft } from './placement-draft.tsx';
import styles from './spec-book.module.css';

type Area = NonNullable<Placement['blocked']>[number];
const percent = (share: number) => Number((share * 100).toFixed(2));
const sides = ['top', 'right', 'bottom', 'left'] as const;

/** A share of the frame's side as a percentage that is typed. */
function Percent({
  label,
  share,
  max = 1,
  onChange,
}: {
  label: string;
  share: number;
  max?: number;
  onChange: (share: number) => void;
}) {
  return (
    <EditableNumber
      label={label}
      value={percent(share)}
      shown={<span className="mono">{percent(share)} %</span>}
      min={0}
      max={percent(max)}
      step={0.1}
      unit="%"
      onChange={(value) => onChange(Math.round(value * 100) / 1e4)}
    />
  );
}

function AreaLine({
  area,
  onChange,
  onRemove,
}: {
  area: Area;
  onChange: (area: Area) => void;
  onRemove: () => void;
}) {
  const { name } = area;
  return (
    <li>
      <EditableText
        label="Area’s name"
        value={name}
        shown={<b>{name}</b>}
        wrong={(text) => (text.trim() === '' ? 'A name is needed' : undefined)}
        onChange={(next) => onChange({ ...area, name: next })}
      />{' '}
      stands{' '}
      <Percent
        label={`${name}, from the left`}
        share={area.x}
        max={1 - area.width}
        onChange={(x) => onChange({ ...area, x })}
      />{' '}
      from the left,{' '}
      <Percent
        label={`${name}, from the top`}
        share={area.y}
        max={1 - area.height}
        onChange={(y) => onChange({ ...area, y })}
      />{' '}
      from the top,{' '}
      <Percent
        label={`${name}, width`}
        share={area.width}
        max={1 - area.x}
        onChange={(width) => onChange({ ...area, width: Math.max(0.01, width) })}
      />{' '}
      wide,{' '}
      <Percent
        label={`${name}, height`}
        share={area.height}
        max={1 - area.y}
        onChange={(height) => onChange({ ...area, height: Math.max(0.01, height) })}
      />{' '}
      high.{' '}
      <button className="fix" aria-label={`Remove ${name}`} onClick={onRemove}>
        Remove
      </button>
    </li>
  );
}

/** The margin and the blocked areas as exact numbers, beside the frame that they are drawn on. */
export function ExactAreas() {
  const { placement, edit } = usePlacementDraft();
  const { safeMargin, blocked = [] } = placement;
  const setAreas = (areas: Area[]) => edit({ blocked: areas.length ? areas : undefined });
  return (
    <div className={styles.exact}>
      {safeMargin && (
        <p>
          Clear at the edges:{' '}
          {sides.map((side, i) => (
            <span key={side}>
              {i > 0 && ', '}
              {side}{' '}
              <Percent
                label={`Margin, ${side}`}
                share={safeMargin[side]}
                max={0.9}
                onChange={(share) => edit({ safeMargin: { ...safeMargin, [side]: share } })}
              />
            </span>
          ))}
        </p>
      )}
      <ul>
        {blocked.map((area, index) => (
          <AreaLine
            key={index}
            area={area}
            onChange={(next) => setAreas(blocked.map((a, i) => (i === index ? next : a)))}
            onRemove={() => setAreas(blocked.filter((_a, i) => i !== index))}
          />
        ))}
      </ul>
      {blocked.length === 0 && <p className="quiet">The outlet draws over nothing.</p>}
    </div>
  );
}
