import type { Layout } from '../framing/framing.ts';
import type { MasterRect, Size } from '../picture/geometry.ts';
import { areaSums, type AreaSums } from './area-sums.ts';
import { barsOf, isFlat, type Edges } from './bars.ts';
import { carriedOn } from './carried-on.ts';
import { drawPlan } from './draw-plan.ts';
import { edgeLines, sides, strip } from './edge-lines.ts';
import { drawPart, fitSide, scaledRect, type Drawable, type Grid } from './grid.ts';
import type { TonePair } from './grade.ts';
import { leastLikeness, structuralSimilarity } from './likeness.ts';
import { partsApart, type PartsApart, type ThreePlanes } from './parts-apart.ts';
import { correlation, findWindow, searchWindow, type Found } from './register.ts';

/** A picture's luma and colour differences, each a plane of its own size. */
export interface Planes {
  luma: Plane;
  cb: Plane;
  cr: Plane;
}

/** A plane of bytes: pictures are kept so, because many of them are kept at a time. */
interface Plane extends Size {
  bytes: Uint8Array;
}

/** A frame of a file beside the frame of the master that it should show. */
export interface Sample {
  /** The file's frame. */
  at: number;
  file: Planes;
  master: Planes;
  /** What the plan shows of the master there. */
  layout: Layout;
  /** Parts of the frame in which something else is drawn over it, frame pixels. */
  over: readonly MasterRect[];
}

/** The two films of a comparison. */
export interface Films {
  /** Displayed size of the master. */
  master: Size;
  /** The delivered frame. */
  frame: Size;
}

/** Longer side of pictures whose likeness is judged: fine grain, which coding may drop, is too small to be seen in them. */
const likenessSide = 200;
/** Longer side of pictures in which a window is looked for, and in which bars are. */
const findingSide = 256;
const barsSide = 300;
/** Less correlated than this, and where a window lies cannot be told. */
const leastAlike = 0.85;
/** More correlated than the first, and a window is found; found elsewhere, it has to be so many times less unlike. */
const certainlyAlike = 0.97;
const muchMore = 1.5;
/** A window lies where it should within so many master pixels, and at least within one delivered pixel. */
export const placeTolerance = 2;
/** An edge that may be wrong by more than this share of the tolerance says nothing. */
const sureEnough = 0.5;
/**
 * A window that was found elsewhere has to explain so much more of the picture than the planned one, levels, and as much
 * as it leaves unexplained: in fog and in gradients every place shows the same but for what coding has bent. From trials
 * with grain over soft pictures; a window that does lie elsewhere in a picture with detail gains five times that and more.
 */
const leastExplained = 1;
/** Bars deeper than this share of a side are bars, and never ones of fewer pixels than the second figure. */
const barShare = 0.008;
const leastBar = 4;

/** What was found of one panel of a picture. */
interface JudgedPanel {
  likeness: number | null;
  /** Mean difference of the worst of its three planes, levels of 8 bits. */
  colour: number;
  tones: TonePair;
  /** Master pixels from the plan's edges; null where it cannot be told. */
  off: number | null;
  /** The whole panel's window as it was found, master pixels; null where it was not. */
  window: MasterRect | null;
}

/** What was found of one picture. */
export interface Judged {
  at: number;
  panels: JudgedPanel[];
  /** Delivered pixels; null where there are none. */
  bars: Edges | null;
  /** Lines along its edges that are not the plan's and thinner than bars, delivered pixels; null where that cannot be told. */
  lines: Edges | null;
  /** The picture part by part beside the plan's; null where it is another one. */
  apart: PartsApart | null;
}

/** All planes of a picture: each of them is drawn from many times. */
type ReadyPlanes = readonly [AreaSums, AreaSums, AreaSums];

/** Makes a picture ready to be drawn from, in the room of one that is done with. */
const readyPlanes = ({ luma, cb, cr }: Planes, before?: ReadyPlanes): ReadyPlanes => [
  areaSums(luma, luma.bytes, before?.[0]),
  areaSums(cb, cb.bytes, before?.[1]),
  areaSums(cr, cr.bytes, before?.[2]),
];
const whole = ({ width, height }: Size): MasterRect => ({ x: 0, y: 0, width, height });

/** How far a window may lie from its place, master pixels. */
export const toleranceOf = ({ source, into }: Layout['panels'][number]): number =>
  Math.max(placeTolerance, source.width / into.width);

/** Cells a side in which colours and tones are held against each other: what coding does to a few pixels is lost in them. */
const toneCells = { width: 8, height: 8 };

/** The tones and colours of what is known of two pictures. */
function tonesOf(
  { file, master }: { file: ThreePlanes; master: ThreePlanes },
  window: MasterRect,
  part: MasterRect,
  films: Films,
): TonePair {
  const ofFile = (plane: Drawable) => drawPart(plane, scaledRect(part, films.frame, plane), toneCells);
  const ofPlan = (plane: Drawable) => drawPart(plane, scaledRect(window, films.master, plane), toneCells);
  return {
    file: [ofFile(file[0]), ofFile(file[1]), ofFile(file[2])],
    plan: [ofPlan(master[0]), ofPlan(master[1]), ofPlan(master[2])],
  };
}

/** Mean difference of colour and brightness, of the worst of the three planes. */
const colourApart = ({ file, plan }: TonePair): number =>
  Math.max(
    ...file.map((own, p) => own.reduce((sum, v, i) => sum + Math.abs(v - plan[p]![i]!), 0) / own.length),
  );

/** The outermost line along each side of a picture that is drawn into so many cells. */
const outermost = (picture: Drawable, { width, height }: Size): Float32Array[] =>
  sides.map((side) =>
    side === 'top' || side === 'bottom'
      ? drawPart(picture, strip(whole(picture), side, 0, picture.height / height), { width, height: 1 })
      : drawPart(picture, strip(whole(picture), side, 0, picture.width / width), { width: 1, height }),
  );

/** Bars in a file's picture that its plan has not, delivered pixels. */
function barsIn(
  sample: Sample,
  file: Drawable,
  master: Drawable,
  { master: masterSize, frame }: Films,
): Edges | null {
  const cells = fitSide(frame, barsSide);
  // Most pictures have none, and that is soon seen.
  if (!outermost(file, cells).some(isFlat)) return null;
  const drawn = drawPlan(sample.layout, master, masterSize, frame, cells);
  if (!drawn.known.every(Boolean)) return null;
  const edges = barsOf(drawPart(file, whole(file), cells), drawn.data, cells);
  const [across, down] = [frame.width / cells.width, frame.height / cells.height];
  const deep = {
    top: edges.top * down,
    right: edges.right * across,
    bottom: edges.bottom * down,
    left: edges.left * across,
  };
  const isBar = (depth: number, side: number) => depth >= Math.max(leastBar, side * barShare);
  const any =
    isBar(Math.max(deep.top, deep.bottom), frame.height) ||
    isBar(Math.max(deep.left, deep.right), frame.width);
  return any ? deep : null;
}

/** The part of a panel that nothing lies over: neither bars, nor what is drawn over the frame. */
function freePart(
  into: MasterRect,
  bars: Edges | null,
  over: readonly MasterRect[],
  frame: Size,
): MasterRect {
  const left = Math.max(into.x, bars?.left ?? 0);
  const right = Math.min(into.x + into.width, frame.width - (bars?.right ?? 0));
  const top = Math.max(into.y, bars?.top ?? 0);
  const bottom = Math.min(into.y + into.height, frame.height - (bars?.bottom ?? 0));
  const inTheWay = over
    .filter((o) => o.y < bottom && o.y + o.height > top && o.x < right && o.x + o.width > left)
    .sort((a, b) => a.y - b.y);
  // The highest band that lies above, between or below them.
  let best = { y: top, height: 0 };
  let from = top;
  for (const { y, height } of [...inTheWay, { y: bottom, height: 0 }]) {
    if (y - from > best.height) best = { y: from, height: y - from };
    from = Math.max(from, y + height);
  }
  return { x: left, width: right - left, ...best };
}

/** Finds the window that a part of a file's picture shows: near where it should be, else anywhere. */
function locate(part: Grid, master: Drawable, planned: MasterRect): Found {
  const inPlace = findWindow(part, master, planned, 'near');
  if (inPlace.alike >= certainlyAlike) return inPlace;
  // What repeats itself is alike in many places: another one has to be much more so.
  const wide = findWindow(part, master, planned);
  const near = (1 - wide.alike) * muchMore < 1 - inPlace.alike ? wide : inPlace;
  if (near.alike >= leastAlike) return near;
  const elsewhere = searchWindow(part, master, planned);
  if (!elsewhere) return near;
  const found = findWindow(part, master, elsewhere);
  return found.alike >= leastAlike && found.alike > near.alike + 0.05 ? found : near;
}

/** How far a found window's edges lie from the planned ones where that is certain enough; null where it is nowhere. */
function offBy(
  { window, unsure }: Found,
  planned: MasterRect,
  scale: number,
  tolerance: number,
): number | null {
  const ends = (a: number, length: number, b: number, other: number) =>
    Math.max(Math.abs(a - b), Math.abs(a + length - b - other)) * scale;
  const sides = [
    { off: ends(window.x, window.width, planned.x, planned.width), unsure: unsure.x * scale },
    { off: ends(window.y, window.height, planned.y, planned.height), unsure: unsure.y * scale },
  ].filter((side) => side.unsure <= tolerance * sureEnough);
  return sides.length ? Math.max(...sides.map((side) => Math.max(0, side.off - side.unsure))) : null;
}

/** What of a picture a window of the master leaves unexplained, brightness and contrast apart: levels, squared. */
function unexplainedBy(seen: Grid, master: Drawable, window: MasterRect): number {
  const drawn = drawPart(master, window, seen);
  const mean = seen.data.reduce((sum, v) => sum + v, 0) / seen.data.length;
  const variance = seen.data.reduce((sum, v) => sum + (v - mean) ** 2, 0) / seen.data.length;
  return variance * (1 - correlation(seen.data, drawn) ** 2);
}

/**
 * Whether where a window was found says anything: it lies where it should, or it explains more than that does.
 *
 * @param tolerance in samples of the master's picture
 */
function isTold(
  seen: Grid,
  master: Drawable,
  { window }: Found,
  planned: MasterRect,
  tolerance: number,
): boolean {
  const ends = ({ x, y, width, height }: MasterRect) => [x, y, x + width, y + height];
  const should = ends(planned);
  const apart = Math.max(...ends(window).map((end, i) => Math.abs(end - should[i]!)));
  if (apart <= tolerance) return true;
  const left = unexplainedBy(seen, master, window);
  const gained = unexplainedBy(seen, master, planned) - left;
  return gained >= Math.max(leastExplained ** 2, left);
}

function judgePanel(
  sample: Sample,
  panel: Layout['panels'][number],
  bars: Edges | null,
  grids: { file: ThreePlanes; master: ThreePlanes },
  films: Films,
): JudgedPanel | null {
  const { source, into } = panel;
  const [file, master] = [grids.file[0], grids.master[0]];
  const part = freePart(into, bars, sample.over, films.frame);
  if (part.width < 16 || part.height < 16) return null;
  // What the part shows of the master, were it as planned.
  const planned = scaledRect(carriedOn(source, into, part), films.master, master);
  const place = scaledRect(part, films.frame, file);
  const cells = fitSide(place, findingSide);
  const seen: Grid = { ...cells, data: drawPart(file, place, cells) };
  const found = locate(seen, master, planned);
  const lies = found.alike >= leastAlike;
  const window = lies ? found.window : planned;
  const small = fitSide(cells, likenessSide);
  const scale = films.master.width / master.width;
  const inMaster = scaledRect(window, master, films.master);
  const tones = tonesOf(grids, inMaster, part, films);
  return {
    likeness: structuralSimilarity(
      drawPart(seen, whole(seen), small),
      drawPart(master, window, small),
      small,
    ),
    colour: colourApart(tones),
    tones,
    off:
      lies && isTold(seen, master, found, planned, toleranceOf(panel) / scale)
        ? offBy(found, planned, scale, toleranceOf(panel))
        : null,
    window: lies ? carriedOn(inMaster, part, into) : null,
  };
}

/** Whether a picture with flat edges is, edges and all, another part of the master: then they are no bars. */
function liesElsewhere(
  { layout }: Sample,
  { file, master }: { file: Drawable; master: Drawable },
  films: Films,
): boolean {
  const [panel, ...more] = layout.panels;
  if (!panel || more.length) return false;
  const cells = fitSide(file, findingSide);
  const seen: Grid = { ...cells, data: drawPart(file, whole(file), cells) };
  return locate(seen, master, scaledRect(panel.source, films.master, master)).alike >= certainlyAlike;
}

/** Thin lines along the edges of a picture that fills the frame, delivered pixels. */
function linesIn(
  grids: { file: Drawable; master: Drawable },
  window: MasterRect,
  { master, frame }: Films,
): Edges {
  const { top, right, bottom, left } = edgeLines(grids.file, grids.master, window, master);
  const [across, down] = [frame.width / grids.file.width, frame.height / grids.file.height];
  return { top: top * down, right: right * across, bottom: bottom * down, left: left * across };
}

/** What lines along the edges cover, frame pixels. */
function alongEdges({ top, right, bottom, left }: Edges, { width, height }: Size): MasterRect[] {
  return [
    { x: 0, y: 0, width, height: top },
    { x: 0, y: height - bottom, width, height: bottom },
    { x: 0, y: 0, width: left, height },
    { x: width - right, y: 0, width: right, height },
  ].filter((strip) => strip.width > 0 && strip.height > 0);
}

/** Both pictures of a sample, ready to be drawn from. */
interface ReadySample {
  file: ReadyPlanes;
  master: ReadyPlanes;
}

function judge(sample: Sample, grids: ReadySample, films: Films): Judged {
  const lumas = { file: grids.file[0], master: grids.master[0] };
  const flat = barsIn(sample, lumas.file, lumas.master, films);
  const bars = flat && !liesElsewhere(sample, lumas, films) ? flat : null;
  const judged = sample.layout.panels.map((panel) => ({
    panel,
    found: judgePanel(sample, panel, bars, grids, films),
  }));
  const alike = judged.every(({ found }) => found && (found.likeness ?? 0) >= leastLikeness);
  const shown = judged.map(({ panel: { into, source }, found }) => ({
    into,
    window: found?.window ?? source,
  }));
  const fills = judged.length === 1 && !sample.layout.ground;
  const lines =
    alike && fills && !bars && !sample.over.length ? linesIn(lumas, shown[0]!.window, films) : null;
  const over = [...sample.over, ...(lines ? alongEdges(lines, films.frame) : [])];
  return {
    at: sample.at,
    panels: judged.flatMap(({ found }) => found ?? []),
    bars,
    lines,
    apart: alike && !bars ? partsApart(grids.file, grids.master, shown, over, films) : null,
  };
}

/**
 * Makes a judge of two films: it looks at one picture of a file beside what its plan shows there, and says how alike they
 * are and where its windows lie. It works in the same room for each of them.
 */
export function judgeOf(films: Films): (sample: Sample) => Judged {
  let room: ReadySample | undefined;
  return (sample) => {
    room = {
      file: readyPlanes(sample.file, room?.file),
      master: readyPlanes(sample.master, room?.master),
    };
    return judge(sample, room, films);
  };
}
