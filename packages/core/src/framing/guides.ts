import { evenWindow } from '../picture/fit.ts';
import type { MasterRect, Size } from '../picture/geometry.ts';

/** One window to be drawn as a guide. */
export interface Guide {
  tag: string;
  name: string;
  window: MasterRect;
}

/** Line patterns of guides, taken in turn, as lengths of line and gap in units of the line's width. */
export const guidePatterns: readonly (readonly number[])[] = [[], [8, 5], [2, 3], [14, 4, 2, 4]];

const escape = (text: string) =>
  text.replace(/[&<>"]/g, (c) => `&${{ '&': 'amp', '<': 'lt', '>': 'gt', '"': 'quot' }[c]};`);
const number = (n: number) => String(Number(n.toFixed(3)));

/** How thick guides are drawn on a master: visible on a camera monitor, never in the way. Pixels. */
export function guideWeight(masterSize: Size): number {
  return Math.max(2, Math.round(Math.min(masterSize.width, masterSize.height) / 360));
}

/** A guide picture at the master's frame size, transparent but for the windows' outlines and letters. */
export function guideSvg(guides: readonly Guide[], masterSize: Size): string {
  const weight = guideWeight(masterSize);
  const size = weight * 10;
  const lines = guides.map(({ tag, name, window: w }, i) => {
    const dash = guidePatterns[i % guidePatterns.length]!.map((n) => n * weight).join(' ');
    const box = `x="${number(w.x + weight / 2)}" y="${number(w.y + weight / 2)}" width="${number(w.width - weight)}" height="${number(w.height - weight)}" fill="none"${dash ? ` stroke-dasharray="${dash}"` : ''}`;
    return [
      `<g id="${escape(tag)}"><title>${escape(`${tag} ${name}`)}</title>`,
      `<rect ${box} stroke="#000" stroke-opacity="0.55" stroke-width="${weight * 2}"/><rect ${box} stroke="#fff" stroke-width="${weight}"/>`,
      `<text x="${number(w.x + weight * 3)}" y="${number(w.y + weight * 2 + size)}" font-family="sans-serif" font-weight="700" font-size="${size}" fill="#fff" stroke="#000" stroke-opacity="0.55" stroke-width="${weight / 2}" paint-order="stroke">${escape(tag)}</text></g>`,
    ].join('');
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${masterSize.width}" height="${masterSize.height}" viewBox="0 0 ${masterSize.width} ${masterSize.height}">${lines.join('')}</svg>\n`;
}

/** The windows as numbers to type into a camera monitor or another tool: exact, then whole even pixels. Tab-separated. */
export function guideTable(guides: readonly Guide[], masterSize: Size): string {
  const rows = guides.map(({ tag, name, window: w }) => {
    const even = evenWindow(w, masterSize);
    return [
      tag,
      name,
      ...[w.x, w.y, w.width, w.height].map(number),
      even.x,
      even.y,
      even.width,
      even.height,
    ].join('\t');
  });
  return [`window\tname\tx\ty\tw\th\teven x\teven y\teven w\teven h`, ...rows].join('\n').concat('\n');
}
