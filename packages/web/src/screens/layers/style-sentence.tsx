import {
  layerIn,
  isOwn,
  letterWeights,
  startStyles,
  type ShippedFace,
  type Layer,
  type LayerContent,
  type WordStyle,
} from '@mivvy/core';
import { Choice } from '../../parts/choice.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { EditableText } from '../../parts/editable-text.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Colour } from '../../parts/colour.tsx';
import { useLayers } from './layers-session.tsx';
import { TypefaceChoice } from './typeface-choice.tsx';

const weightNames: Record<ShippedFace['weight'], string> = {
  400: 'regular',
  600: 'half bold',
  800: 'bold',
};

/** How heavy the letters are; a typeface of somebody's own has one weight. */
function WeightChoice({ face, onChange }: { face: ShippedFace; onChange: (face: ShippedFace) => void }) {
  return (
    <>
      <Choice
        label="Weight"
        value={String(face.weight)}
        shown={weightNames[face.weight]}
        options={letterWeights.map((w) => ({ value: String(w), name: weightNames[w] }))}
        onChange={(w) => onChange({ ...face, weight: Number(w) as ShippedFace['weight'] })}
      />
      ,{' '}
    </>
  );
}

/** The styles that a production has: those that it started with, and those of its titles, by their names. */
function useStyles(): WordStyle[] {
  const { masters } = useThisProduction();
  const { dressing } = useLayers();
  const used = [...masters.flatMap((m) => m.dressing.layers), ...dressing.layers].flatMap(({ what }) =>
    what.kind === 'words' ? [what.style] : [],
  );
  return [...new Map([...startStyles, ...used].map((style) => [style.name, style])).values()];
}

/** How a title's words look. Titles of one style change together. */
export function StyleSentence({
  layer,
  words,
}: {
  layer: Layer;
  words: Extract<LayerContent, { kind: 'words' }>;
}) {
  const { change, edit, resize, version } = useLayers();
  const stylesThere = useStyles();
  const { style } = words;
  const here = layerIn(layer, version.id)?.what;
  const size = here?.kind === 'words' ? here.style.size : style.size;
  const wear = (next: WordStyle) =>
    edit(layer.id, (l) => (l.what.kind === 'words' ? { ...l, what: { ...l.what, style: next } } : l));
  /** Changes the style of every title that has it. */
  const restyle = (patch: Partial<WordStyle>) =>
    change((now) => ({
      ...now,
      layers: now.layers.map((l) =>
        l.what.kind === 'words' && l.what.style.name === style.name
          ? { ...l, what: { ...l.what, style: { ...l.what.style, ...patch } } }
          : l,
      ),
    }));
  return (
    <>
      in the{' '}
      <Choice
        label="Style"
        value={style.name}
        shown={style.name}
        options={stylesThere.map((s) => ({ value: s.name, name: s.name }))}
        onChange={(name) => wear(stylesThere.find((s) => s.name === name)!)}
      />{' '}
      style (
      <EditableText
        label="Style’s name"
        value={style.name}
        shown="name"
        wrong={(text) => (text.trim() === '' || text.length > 40 ? '1 to 40 letters' : undefined)}
        onChange={(name) => wear({ ...style, name })}
      />
      ): <TypefaceChoice face={style.face} onChange={(face) => restyle({ face })} />,{' '}
      {!isOwn(style.face) && <WeightChoice face={style.face} onChange={(face) => restyle({ face })} />}
      <EditableNumber
        label="Size"
        value={size * 100}
        shown={`${Number((size * 100).toFixed(1))} %`}
        min={1.5}
        max={40}
        unit="per cent of the frame’s shorter side"
        onChange={(v) => resize(layer.id, v / 100)}
      />{' '}
      high,{' '}
      <Colour label="Colour of the letters" value={style.colour} onChange={(colour) => restyle({ colour })} />
      ,{' '}
      <Choice
        label="Ground"
        value={style.plate ? 'plate' : style.shadow ? 'shadow' : 'none'}
        shown={style.plate ? 'on a plate' : style.shadow ? 'with a shadow' : 'as they are'}
        options={[
          { value: 'plate', name: 'on a plate' },
          { value: 'shadow', name: 'with a shadow' },
          { value: 'none', name: 'as they are' },
        ]}
        onChange={(kind) =>
          restyle({
            plate: kind === 'plate' ? (style.plate ?? { colour: '#14181c', opacity: 0.78 }) : null,
            shadow: kind === 'shadow',
          })
        }
      />
      {style.plate && (
        <>
          {' '}
          <Colour
            label="Colour of the plate"
            value={style.plate.colour}
            onChange={(colour) => restyle({ plate: { ...style.plate!, colour } })}
          />{' '}
          <EditableNumber
            label="Plate’s strength"
            value={style.plate.opacity * 100}
            shown={`${Math.round(style.plate.opacity * 100)} %`}
            min={0}
            max={100}
            unit="per cent"
            onChange={(v) => restyle({ plate: { ...style.plate!, opacity: v / 100 } })}
          />
        </>
      )}
      , set{' '}
      <Choice
        label="Alignment"
        value={style.align}
        shown={style.align === 'middle' ? 'to the middle' : `to the ${style.align}`}
        options={[
          { value: 'left', name: 'to the left' },
          { value: 'middle', name: 'to the middle' },
          { value: 'right', name: 'to the right' },
        ]}
        onChange={(align) => restyle({ align })}
      />
      .
    </>
  );
}
