import type { CSSProperties } from 'react';
import type { Size } from '@mivvy/core';

/** A picture as large as its box allows, in its own shape. */
export const fitted = (size: Size): CSSProperties => ({
  aspectRatio: `${size.width} / ${size.height}`,
  width: `min(100cqw, ${(100 * size.width) / size.height}cqh)`,
});
