import { aspectLabel, shapeWord, sizeLabel, type Size } from '@mivvy/core';
import { EditableText } from '../../../parts/editable-text.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';

const written = /^\s*(\d{1,5})\s*[x×*, ]\s*(\d{1,5})\s*$/;

/** A size as it is typed: `1080 × 1920`. */
function readSize(text: string): Size | undefined {
  const [, width, height] = written.exec(text) ?? [];
  return width && height ? { width: Number(width), height: Number(height) } : undefined;
}

function EditableSize({
  label,
  size,
  missing,
  onChange,
}: {
  label: string;
  size: Size | undefined;
  /** What stands where there is none; without it a size is needed. */
  missing?: string;
  onChange: (size: Size | undefined) => void;
}) {
  return (
    <EditableText
      label={label}
      value={size ? `${size.width} × ${size.height}` : ''}
      shown={size ? <b>{sizeLabel(size)}</b> : missing}
      hint={missing ? 'Width × height; empty: none' : 'Width × height, in pixels'}
      wrong={(text) =>
        (missing && text.trim() === '') || readSize(text) ? undefined : 'Two whole numbers, as in 1080 × 1920'
      }
      onChange={(text) => onChange(readSize(text))}
    />
  );
}

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
