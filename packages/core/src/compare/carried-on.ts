import type { MasterRect } from '../picture/geometry.ts';

/** A window of a part carried on to another part, or to the whole, of the same picture. */
export function carriedOn(window: MasterRect, part: MasterRect, other: MasterRect): MasterRect {
  const [kx, ky] = [window.width / part.width, window.height / part.height];
  return {
    x: window.x + (other.x - part.x) * kx,
    y: window.y + (other.y - part.y) * ky,
    width: other.width * kx,
    height: other.height * ky,
  };
}
