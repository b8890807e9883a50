import { ringSources, softPatch, type PlannedLayer, type Size, type SoftPatch } from '@mivvy/core';
import type { Overlay } from './overlay-input.ts';

/**
 * What `geq` computes for a hidden cell of one plane, and for every other cell what it was: the same as core's
 * `fillFromRing`, so that a proof shows what the file contains.
 */
function fillExpression(patch: SoftPatch, plane: 'lum' | 'cb' | 'cr'): string {
  const { columns, rows, ring } = patch;
  const sources = ringSources(patch).map(({ side, at }) => {
    const level = side === 'left' || side === 'right';
    return {
      weight: `1/abs(${at}-${level ? 'X' : 'Y'})`,
      value: level ? `${plane}(${at},Y)` : `${plane}(X,${at})`,
    };
  });
  const asItIs = `${plane}(X,Y)`;
  if (!sources.length) return asItIs;
  const hidden = `between(X,${ring.left},${columns - 1 - ring.right})*between(Y,${ring.top},${rows - 1 - ring.bottom})`;
  const sum = sources.map(({ weight, value }) => `${value}*${weight}`).join('+');
  const all = sources.map(({ weight }) => weight).join('+');
  return `if(${hidden},(${sum})/(${all}),${asItIs})`;
}

/** How much of a layer is there at frame N, 0 to 1, as core's `opacityAt` says. */
const opacityExpression = ({ spans, fadeIn, fadeOut }: PlannedLayer): string =>
  spans
    .map(
      ({ from, to }) =>
        `between(N,${from},${to - 1})*min(1,min((N-${from}+1)/${fadeIn + 1},(${to}-N)/${fadeOut + 1}))`,
    )
    .join('+');

/** A patch in the film's own soft picture. It takes what it shows from the picture below, and needs no input. */
export function softOverlay(layer: PlannedLayer, frame: Size): Overlay {
  const patch = softPatch(layer.box, frame);
  const { hidden, region, columns, rows } = patch;
  const fill = (['lum', 'cb', 'cr'] as const)
    .map((plane) => `${plane}='${fillExpression(patch, plane)}'`)
    .join(':');
  const chain = [
    `crop=${region.width}:${region.height}:${region.x}:${region.y}:exact=1`,
    `scale=${columns}:${rows}:flags=area+accurate_rnd`,
    'format=yuva444p',
    `geq=${fill}:a='255*(${opacityExpression(layer)})'`,
    `scale=${region.width}:${region.height}:flags=bicubic+accurate_rnd`,
    `crop=${hidden.width}:${hidden.height}:${hidden.x - region.x}:${hidden.y - region.y}:exact=1`,
    'format=yuva420p',
  ].join(',');
  const shown = layer.spans.map(({ from, to }) => `between(n,${from},${to - 1})`).join('+');
  return {
    args: [],
    graph: (base, _input, out) => {
      const own = base.slice(1, -1);
      return [
        `${base}split[below_${own}][around_${own}]`,
        `[around_${own}]${chain}[soft_${own}]`,
        `[below_${own}][soft_${own}]overlay=${hidden.x}:${hidden.y}:format=yuv420:enable='${shown}'${out}`,
      ].join(';');
    },
  };
}
