import { sizeLabel, type Size } from '@mivvy/core';
import { EditableText } from '../../../parts/editable-text.tsx';

const written = /^\s*(\d{1,5})\s*[x×*, ]\s*(\d{1,5})\s*$/;

/** A size as it is typed: `1080 × 1920`. */
function readSize(text: string): Size | undefined {
  const [, width, height] = written.exec(text) ?? [];
  return width && height ? { width: Number(width), height: Number(height) } : undefined;
}

/** A size in pixels that is typed over where it stands. */
export function EditableSize({
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
