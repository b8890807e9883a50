import { aspectLabel, shapeWord } from '@mivvy/core';
import { usePlacementDraft } from '../placement-draft.tsx';
import { EditableSize } from './editable-size.tsx';

/** The frame, the larger one, and what the master must be. */
export function FrameSentence() {
  const { placement, edit } = usePlacementDraft();
  const { frame, largerFrame, minFrame, maxFrame } = placement;
  const shape = shapeWord(frame);
  return (
    <p>
      {shape[0]!.toUpperCase() + shape.slice(1)} {aspectLabel(frame)},{' '}
      <EditableSize label="Frame" size={frame} onChange={(size) => size && edit({ frame: { ...size } })} />; a
      larger one where the master has the pixels:{' '}
      <EditableSize
        label="Larger frame"
        size={largerFrame}
        missing="none"
        onChange={(size) => edit({ largerFrame: size && { ...size } })}
      />
      . From a master of{' '}
      <EditableSize
        label="Smallest master"
        size={minFrame}
        missing="any size"
        onChange={(size) => edit({ minFrame: size && { ...size } })}
      />{' '}
      up to{' '}
      <EditableSize
        label="Largest master"
        size={maxFrame}
        missing="any size"
        onChange={(size) => edit({ maxFrame: size && { ...size } })}
      />
      .
    </p>
  );
}
