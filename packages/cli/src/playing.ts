import { createHash } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import { basename, resolve } from 'node:path';
import {
  bare,
  checkKept,
  dress,
  fail,
  isOwn,
  findPlacement,
  keepWithin,
  ok,
  parsePace,
  parseTimecode,
  planForMaster,
  readSpecBook,
  readVersionPlan,
  type FittedPlan,
  type FrameSpan,
  type Framing,
  type Layer,
  type MasterFacts,
  type Pace,
  type PlacedOutlet,
  type Placement,
  type PlannedVersion,
  type Played,
  type Pose,
  type Result,
  type VersionPlan,
} from '@mivvy/core';
import { countFrames, probeMaster, sha256File, shaperWithFiles, shippedShaper } from '@mivvy/media';

/** Flags that say what of a master is shown, and when; the same for every command. */
export const playingOptions = {
  framing: { type: 'string', default: 'hold' },
  at: { type: 'string', default: '0.5,0.5' },
  zoom: { type: 'string', default: '1' },
  in: { type: 'string' },
  to: { type: 'string' },
  plan: { type: 'string' },
  pace: { type: 'string' },
  cover: { type: 'string' },
} as const;

/** Those flags as they were given. */
export interface PlayingFlags {
  at: string;
  zoom: string;
  in?: string | undefined;
  to?: string | undefined;
  plan?: string | undefined;
  pace?: string | undefined;
  cover?: string | undefined;
}

/** What they ask for, checked. */
export interface PlayingRequest {
  pose: Pose;
  /** Path of a plan file. */
  plan: string | undefined;
  /** Undefined: as the plan says, else as edited. */
  pace: Pace | undefined;
  from: string | undefined;
  to: string | undefined;
  /** The time of the picture that a cover shows. */
  cover: string | undefined;
}

/** Reads the flags; the sentence says which is wrong. */
export function readPlaying(values: PlayingFlags): { request: PlayingRequest } | { wrong: string } {
  const at = /^\s*(-?[\d.]+)\s*,\s*(-?[\d.]+)\s*$/.exec(values.at);
  if (!at || !Number.isFinite(Number(at[1])) || !Number.isFinite(Number(at[2])))
    return { wrong: `--at ${values.at} is not two fractions such as 0.5,0.5.` };
  const zoom = Number(values.zoom);
  if (!(zoom >= 1 && zoom <= 8)) return { wrong: `--zoom ${values.zoom} is not a number from 1 to 8.` };
  const pace = values.pace === undefined ? ok(undefined) : parsePace(values.pace);
  if (!pace.ok) return { wrong: `--pace: ${pace.problem.sentence}` };
  const inside = (n: number) => Math.max(0, Math.min(1, n));
  return {
    request: {
      pose: { x: inside(Number(at[1])), y: inside(Number(at[2])), zoom },
      plan: values.plan === undefined ? undefined : resolve(values.plan),
      pace: pace.value,
      from: values.in,
      to: values.to,
      cover: values.cover,
    },
  };
}

/** A film that has been read, and what of it plays. */
export interface ReadMaster {
  facts: MasterFacts;
  sha256: string;
  /** What plays of the film, in which order, how fast. */
  played: Partial<Played>;
  /** From a plan file; without one the window is held where the command line says. */
  framing: Framing | undefined;
  /** The frame that covers show; null for the middle of what plays. */
  coverFrame: number | null;
  /** How far a plan file sharpens the picture; null for not at all. */
  sharpen: number | null;
  /** What a plan file lays over it. */
  layers: readonly Layer[];
  /** The pictures that those show, by their sums. */
  pictures: ReadonlyMap<string, Buffer>;
  /** The typefaces that their words are set in, where they do not ship. */
  typefaces: ReadonlyMap<string, Buffer>;
  /** What a plan file's captions make room for. */
  roomFor: FittedPlan['roomFor'];
}

/** Files that a plan carries, by their sums; refused where one is not what its sum says. */
function carried(
  files: Readonly<Record<string, string>> | undefined,
  what: string,
): Result<Map<string, Buffer>> {
  const found = new Map<string, Buffer>();
  for (const [sum, text] of Object.entries(files ?? {})) {
    const bytes = Buffer.from(text, 'base64');
    if (createHash('sha256').update(bytes).digest('hex') !== sum)
      return fail('plan-refused', `${what} that was changed.`, 'Export the plan again.');
    found.set(sum, bytes);
  }
  return ok(found);
}

/** The pictures and typefaces of a plan file; refused where one was changed or is missing. */
function filesOf(plan: VersionPlan, name: string): Result<Pick<ReadMaster, 'pictures' | 'typefaces'>> {
  const pictures = carried(plan.pictures, `${name} holds a picture`);
  if (!pictures.ok) return pictures;
  const typefaces = carried(plan.typefaces, `${name} holds a typeface`);
  if (!typefaces.ok) return typefaces;
  for (const { what, name: layer } of plan.layers ?? []) {
    if (what.kind === 'picture' && !pictures.value.has(what.picture.sha256))
      return fail('plan-refused', `${name} lacks the picture of “${layer}”.`, 'Export the plan again.');
    if (what.kind === 'words' && isOwn(what.style.face) && !typefaces.value.has(what.style.face.own))
      return fail('plan-refused', `${name} lacks the typeface of “${layer}”.`, 'Export the plan again.');
  }
  return ok({ pictures: pictures.value, typefaces: typefaces.value });
}

/** A planned version with the layers of a plan file. */
export const withLayers = (
  planned: PlannedVersion,
  placement: Placement,
  { layers, typefaces }: Pick<ReadMaster, 'layers' | 'typefaces'>,
): PlannedVersion =>
  layers.length
    ? dress(planned, placement, {
        dressing: { ...bare, layers: [...layers] },
        versionId: '',
        keeps: [],
        faces: [],
        shaper: typefaces.size ? shaperWithFiles(typefaces) : shippedShaper(),
        approved: false,
      })
    : planned;

/** The placements of a spec book that are asked for. */
export async function readPlaces(specs: string, ids: readonly string[]): Promise<Result<PlacedOutlet[]>> {
  const book = await readFile(specs, 'utf8').then(
    (text) => readSpecBook(text, basename(specs)),
    () => fail<never>('no-specs', `The spec book ${specs} cannot be read.`, 'Check the path.'),
  );
  if (!book.ok) return book;
  const places: PlacedOutlet[] = [];
  for (const id of ids) {
    const found = findPlacement(book.value.outlets, id);
    if (!found) {
      const all = book.value.outlets.flatMap((o) => o.placements.map((p) => p.id)).join(', ');
      return fail('no-placement', `The spec book has no placement “${id}”.`, `It has: ${all}.`);
    }
    places.push(found);
  }
  return ok(places);
}

/** The facts of a film at a path, its frames counted. */
export async function readFacts(path: string, signal: AbortSignal): Promise<Result<MasterFacts>> {
  const there = await stat(path).catch(() => null);
  if (!there?.isFile()) return fail('no-master', `There is no file at ${path}.`, 'Check the path.');
  const quick = await probeMaster(path, signal);
  return quick.ok ? countFrames(path, quick.value, signal) : quick;
}

function readSpan(request: PlayingRequest, facts: MasterFacts): Result<FrameSpan> {
  const { rate, frames } = facts.video;
  const from = request.from === undefined ? ok(0) : parseTimecode(request.from, rate);
  if (!from.ok) return from;
  const to = request.to === undefined ? ok(frames) : parseTimecode(request.to, rate);
  if (!to.ok) return to;
  const end = Math.min(to.value, frames);
  if (from.value >= end)
    return fail(
      'empty-cut',
      'Nothing would be delivered: --in is not before --to inside the film.',
      `The film has ${frames} frames.`,
    );
  return ok({ from: from.value, to: end });
}

/** A plan file's framing and cut, as far as they fit the film. */
async function readPlan(path: string, facts: MasterFacts, tell: (line: string) => void) {
  const text = await readFile(path, 'utf8').catch(() => null);
  if (text === null) return fail<never>('no-plan', `The plan ${path} cannot be read.`, 'Check the path.');
  const plan = readVersionPlan(text, basename(path));
  if (!plan.ok) return plan;
  const fitted = planForMaster(plan.value, facts);
  fitted.words.forEach(tell);
  const cut: Partial<Played> = fitted.cut ?? {};
  const checked = cut.kept ? checkKept(cut.kept, facts.video.frames) : ok(undefined);
  if (!checked.ok) return checked;
  const files = filesOf(plan.value, basename(path));
  if (!files.ok) return files;
  return ok({ ...fitted, cut, ...files.value });
}

/** Reads a film and works out what of it plays. */
export async function readMaster(
  path: string,
  request: PlayingRequest,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<ReadMaster>> {
  const facts = await readFacts(path, signal);
  if (!facts.ok) return facts;
  const plan = request.plan === undefined ? ok(null) : await readPlan(request.plan, facts.value, tell);
  if (!plan.ok) return plan;
  const span = readSpan(request, facts.value);
  if (!span.ok) return span;
  const cover = request.cover === undefined ? ok(null) : parseTimecode(request.cover, facts.value.video.rate);
  if (!cover.ok) return cover;
  const cut = plan.value?.cut ?? {};
  // In and out points hold inside a plan's cut as well.
  const kept = keepWithin(cut.kept ?? [span.value], span.value);
  if (kept.length === 0)
    return fail(
      'empty-cut',
      'Nothing would be delivered: between --in and --to the plan keeps nothing.',
      'Leave them out, or move them.',
    );
  return ok({
    facts: facts.value,
    sha256: await sha256File(path, signal),
    played: { ...cut, kept, ...(request.pace ? { pace: request.pace } : {}) },
    framing: plan.value?.framing,
    sharpen: plan.value?.sharpen ?? null,
    coverFrame: cover.value ?? plan.value?.coverFrame ?? null,
    layers: plan.value?.layers ?? [],
    roomFor: plan.value?.roomFor ?? [],
    pictures: plan.value?.pictures ?? new Map(),
    typefaces: plan.value?.typefaces ?? new Map(),
  });
}
