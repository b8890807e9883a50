import {
  anchors,
  frameToSeconds,
  layerIn,
  nearestFrame,
  type Anchor,
  type Layer,
  type PatchContent,
} from '@mivvy/core';
import { Choice } from '../../parts/choice.tsx';
import { Colour } from '../../parts/colour.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { EditableText } from '../../parts/editable-text.tsx';
import { EditableTime } from '../../parts/editable-time.tsx';
import { patchLooks } from '../../parts/patch-looks.ts';
import { useDesk } from '../../play/use-desk.tsx';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';
import { PictureSentence } from './picture-sentence.tsx';
import { StyleSentence } from './style-sentence.tsx';
import { VersionTags } from './version-tags.tsx';
import { WordsField } from './words-field.tsx';

const percent = (share: number) => `${Number((share * 100).toFixed(1))} %`;

const anchorWords = (anchor: Anchor): string => (anchor === 'middle' ? 'in the middle' : `at the ${anchor}`);

/** How far it stands from its anchor, in words. */
function PlaceWords({ layer }: { layer: Layer }) {
  const { version, place } = useLayers();
  const here = layerIn(layer, version.id) ?? layer;
  const { anchor, across, down, width } = here.place;
  const number = (label: string, value: number, key: 'across' | 'down', words: string) => (
    <>
      <EditableNumber
        label={label}
        value={value * 100}
        shown={percent(value)}
        min={-100}
        max={100}
        unit="per cent of the frame’s shorter side"
        onChange={(v) => place(layer.id, { [key]: v / 100 })}
      />{' '}
      {words}
    </>
  );
  return (
    <>
      It stands{' '}
      <Choice<Anchor>
        label="Where it stands"
        value={anchor}
        shown={anchorWords(anchor)}
        options={anchors.map((value) => ({ value, name: value }))}
        onChange={(value) => place(layer.id, { anchor: value, across: 0, down: 0 })}
      />{' '}
      of the clear area,{' '}
      {number('Sideways', across, 'across', /left|right/.test(anchor) ? 'in' : 'to the right')},{' '}
      {number('Up or down', down, 'down', anchor.startsWith('bottom') ? 'up' : 'down')}, at most{' '}
      <EditableNumber
        label="Width"
        value={width * 100}
        shown={percent(width)}
        min={3}
        max={100}
        unit="per cent of the clear area’s width"
        onChange={(v) => place(layer.id, { width: v / 100 })}
      />{' '}
      wide,
    </>
  );
}

/** When it is shown. */
function SpanWords({ layer }: { layer: Layer }) {
  const { master, edit } = useLayers();
  const { frames, rate } = master.facts!.video;
  const { from, to } = layer.span;
  const seconds = frameToSeconds(to - from, rate);
  const throughout = from === 0 && to >= frames;
  const setSpan = (span: { from: number; to: number }) => edit(layer.id, (l) => ({ ...l, span }));
  return (
    <>
      from{' '}
      <EditableTime
        label="Start"
        frame={from}
        rate={rate}
        min={0}
        max={frames - 1}
        onChange={(frame) =>
          setSpan({ from: frame, to: Math.max(frame + 1, Math.min(frames, frame + to - from)) })
        }
      />{' '}
      {throughout ? (
        'to the end'
      ) : (
        <>
          for{' '}
          <EditableNumber
            label="Length"
            value={seconds}
            shown={`${Number(seconds.toFixed(2))} s`}
            min={frameToSeconds(1, rate)}
            max={frameToSeconds(frames - from, rate)}
            unit="seconds"
            onChange={(s) =>
              setSpan({ from, to: Math.min(frames, from + Math.max(1, nearestFrame(s, rate))) })
            }
          />
        </>
      )}
      {!throughout && (
        <>
          {' '}
          (
          <button className="fix" onClick={() => setSpan({ from: 0, to: frames })}>
            all through
          </button>
          )
        </>
      )}
      , fading{' '}
      <EditableNumber
        label="Fade in"
        value={layer.fadeIn}
        shown={`${layer.fadeIn} s`}
        min={0}
        max={10}
        unit="seconds"
        onChange={(fadeIn) => edit(layer.id, (l) => ({ ...l, fadeIn }))}
      />{' '}
      in and{' '}
      <EditableNumber
        label="Fade out"
        value={layer.fadeOut}
        shown={`${layer.fadeOut} s`}
        min={0}
        max={10}
        unit="seconds"
        onChange={(fadeOut) => edit(layer.id, (l) => ({ ...l, fadeOut }))}
      />{' '}
      out
    </>
  );
}

/** What of it a sentence says while it is not at hand. */
function ShortWords({ layer }: { layer: Layer }) {
  const { master } = useLayers();
  const { frames } = master.facts!.video;
  const { what, span, place } = layer;
  if (what.kind === 'patch') return <> hides it in the film.</>;
  return (
    <>
      {what.kind === 'words' && <> says “{what.text.replace(/\n/g, ' ')}”</>} stands{' '}
      {anchorWords(place.anchor)}
      {span.from === 0 && span.to >= frames ? ', all through' : ''}.
    </>
  );
}

/** How a film is laid over: by its own alpha, or shining through from black. */
function BlendWords({ layer, film }: { layer: Layer; film: Extract<Layer['what'], { kind: 'film' }> }) {
  const { edit } = useLayers();
  const hasAlpha = film.film.alpha !== 'none';
  return (
    <>
      , a film {hasAlpha ? 'with alpha' : 'without alpha'},{' '}
      <Choice
        label="How it is laid over"
        value={film.blend}
        shown={film.blend === 'screen' ? 'shines through from black' : 'lies over'}
        options={[
          { value: 'screen', name: 'shines through from black', more: 'its black is not seen' },
          {
            value: 'over',
            name: 'lies over',
            more: hasAlpha ? 'as its alpha says' : 'as it is: it has no alpha, and hides what is behind it',
          },
        ]}
        onChange={(blend) =>
          edit(layer.id, (l) => (l.what.kind === 'film' ? { ...l, what: { ...l.what, blend } } : l))
        }
      />
      .
    </>
  );
}

/** What a patch hides, and its colour. */
function PatchWords({ layer, patch }: { layer: Layer; patch: PatchContent }) {
  const { master, edit } = useLayers();
  const keep = master.keeps.find(({ id }) => id === patch.keepId);
  const editPatch = (change: (patch: PatchContent) => PatchContent) =>
    edit(layer.id, (l) => (l.what.kind === 'patch' ? { ...l, what: change(l.what) } : l));
  return (
    <>
      {keep
        ? ` hides “${keep.name}” of the film, wherever it is seen, under a patch of `
        : ' hides a keep that is gone, under a patch of '}
      <Choice
        label="What the patch shows"
        value={patch.soft ? 'soft' : 'plate'}
        shown={patch.soft ? 'the film around it, softly' : 'one colour'}
        options={patchLooks}
        onChange={(look) =>
          editPatch(({ soft: _soft, ...rest }) => ({ ...rest, ...(look === 'soft' ? { soft: true } : {}) }))
        }
      />
      {!patch.soft && (
        <>
          {' '}
          <Colour
            label="Colour of the patch"
            value={patch.colour}
            onChange={(colour) => editPatch((now) => ({ ...now, colour }))}
          />
        </>
      )}
      .
    </>
  );
}

/** One layer as a sentence; the one at hand with everything that can be changed. */
export function LayerSentence({ layer }: { layer: Layer }) {
  const { chosen, choose, change, edit, planned, dressing, master } = useLayers();
  const desk = useDesk();
  const open = chosen?.id === layer.id;
  /** Takes it in hand, and goes to where it is wholly there if the head stands outside it. */
  const show = () => {
    choose(layer.id);
    const { from, to } = layer.span;
    const { frame } = desk.snapshot();
    if (frame >= from && frame < to) return;
    desk.pause();
    desk.seek(Math.min(to - 1, from + nearestFrame(layer.fadeIn, master.facts!.video.rate)));
  };
  const troubles = planned?.troubles.filter((t) => t.layerId === layer.id) ?? [];
  const stamps = troubles.map((t) => (
    <span key={t.code + t.sentence} className={`stamp look ${styles.stamp}`}>
      <i />
      {t.sentence.replace(`“${layer.name}” `, '').replace(/\.$/, '')}
    </span>
  ));
  if (!open)
    return (
      <li className={styles.layer}>
        <button className={styles.short} onClick={show}>
          <b>{layer.name}</b>
          <ShortWords layer={layer} />
        </button>
        {stamps}
      </li>
    );
  const index = dressing.layers.indexOf(layer);
  const moveTo = (to: number) =>
    change((now) => {
      const rest = now.layers.filter((l) => l.id !== layer.id);
      return { ...now, layers: [...rest.slice(0, to), layer, ...rest.slice(to)] };
    });
  return (
    <li className={`${styles.layer} ${styles.open}`}>
      <p>
        <EditableText
          label="Name"
          value={layer.name}
          shown={<b>{layer.name}</b>}
          wrong={(text) => (text.trim() === '' || text.length > 60 ? '1 to 60 letters' : undefined)}
          onChange={(name) => edit(layer.id, (l) => ({ ...l, name }))}
        />
        {layer.what.kind === 'words' && ' says'}
        {layer.what.kind === 'film' && <BlendWords layer={layer} film={layer.what} />}
        {layer.what.kind === 'patch' && <PatchWords layer={layer} patch={layer.what} />}
      </p>
      {layer.what.kind === 'words' && <WordsField layer={layer} words={layer.what} />}
      {layer.what.kind === 'picture' && <PictureSentence layer={layer} />}
      <p>
        {layer.what.kind === 'words' && <StyleSentence layer={layer} words={layer.what} />}{' '}
        {layer.what.kind === 'patch' ? 'It is there' : <PlaceWords layer={layer} />}{' '}
        <SpanWords layer={layer} />, in <VersionTags layer={layer} />.
      </p>
      {stamps}
      <p className={styles.tools}>
        <button className="fix" disabled={index === 0} onClick={() => moveTo(index - 1)}>
          Nearer
        </button>
        <button
          className="fix"
          disabled={index === dressing.layers.length - 1}
          onClick={() => moveTo(index + 1)}
        >
          Farther
        </button>
        <button
          className="fix"
          onClick={() => change((now) => ({ ...now, layers: now.layers.filter((l) => l.id !== layer.id) }))}
        >
          Remove
        </button>
      </p>
    </li>
  );
}
