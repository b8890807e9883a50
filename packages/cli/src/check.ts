import { rename, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import {
  checkFile,
  clampPose,
  fail,
  heldFraming,
  makePlan,
  ok,
  problemLine,
  reportPage,
  wantedAlone,
  withCaptions,
  type CheckLine,
  type CheckReport,
  type PlacedOutlet,
  type Result,
  type Wanted,
} from '@mivvy/core';
import {
  coverLineOf,
  coverName,
  examineFile,
  heardIn,
  measureFile,
  readCaptionFile,
  sha256File,
  shippedShaper,
  sidecarLine,
} from '@mivvy/media';
import { progressPrinter, type Lines } from './lines.ts';
import {
  playingOptions,
  readFacts,
  readMaster,
  readPlaces,
  readPlaying,
  withLayers,
  type PlayingRequest,
} from './playing.ts';

/** How `check` is called, for people. */
export const checkUsage = `Usage: mivvy check --file FILE --specs SPECBOOK --placement ID
                   [--master FILE]       held against the film that it was made from as well
                   [--plan FILE] [--at X,Y] [--zoom Z] [--in TC] [--to TC] [--pace P]
                                         made from it so, as “mivvy deliver” takes them
                   [--cover TC]          with the cover that shows this picture, in a file beside it
                   [--captions FILE]     with these captions, drawn in or in a file beside it, as the place asks
                   [--html FILE]         the report as one page that opens anywhere
                   [--quiet]             no progress lines`;

interface Request extends PlayingRequest {
  file: string;
  specs: string;
  placement: string;
  master: string | undefined;
  captions: string | undefined;
  /** Path of the page that is written; undefined for none. */
  html: string | undefined;
  quiet: boolean;
}

function readRequest(argv: string[]): Result<Request> {
  const wrong = (sentence: string) =>
    fail<Request>('wrong-use', sentence, 'Run “mivvy check --help” for the way it is called.');
  let values;
  try {
    ({ values } = parseArgs({
      args: argv,
      options: {
        ...playingOptions,
        file: { type: 'string' },
        specs: { type: 'string' },
        placement: { type: 'string', multiple: true },
        master: { type: 'string' },
        captions: { type: 'string' },
        html: { type: 'string' },
        quiet: { type: 'boolean', default: false },
      },
    }));
  } catch (error) {
    return wrong(`${(error as Error).message.replace(/\.?$/, '.')}`);
  }
  if (!values.file) return wrong('--file is missing: which file is to be checked?');
  if (!values.specs) return wrong('--specs is missing: which spec book?');
  const [placement, another] = values.placement ?? [];
  if (!placement) return wrong('--placement is missing: what is the file for?');
  if (another) return wrong('A file is checked against one --placement at a time.');
  if (values.framing !== 'hold')
    return wrong(
      `--framing ${values.framing} cannot be checked; give the plan that it was framed by with --plan.`,
    );
  const playing = readPlaying(values);
  if ('wrong' in playing) return wrong(playing.wrong);
  const { plan, pace, in: from, to, cover } = values;
  if (!values.master && (plan ?? pace ?? from ?? to ?? cover ?? values.captions) !== undefined)
    return wrong(
      '--plan, --in, --to, --pace, --cover and --captions say what was made of a film; they need --master.',
    );
  return ok({
    ...playing.request,
    file: resolve(values.file),
    specs: resolve(values.specs),
    placement,
    master: values.master === undefined ? undefined : resolve(values.master),
    html: values.html === undefined ? undefined : resolve(values.html),
    captions: values.captions === undefined ? undefined : resolve(values.captions),
    quiet: values.quiet,
  });
}

/** What a file is held against: its master's plan, or the placement alone. */
async function readWanted(
  request: Request,
  { placement }: PlacedOutlet,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<Wanted>> {
  if (request.master === undefined) {
    const facts = await readFacts(request.file, signal);
    return facts.ok ? ok(wantedAlone(facts.value, placement)) : facts;
  }
  const master = await readMaster(request.master, request, tell, signal);
  if (!master.ok) return master;
  const { facts, sha256, played, framing, coverFrame, sharpen } = master.value;
  const captions = request.captions === undefined ? ok(undefined) : await readCaptionFile(request.captions);
  if (!captions.ok) return captions;
  captions.value?.words.forEach(tell);
  const plain = makePlan({
    facts,
    sha256,
    placement,
    framing: framing ?? heldFraming(clampPose(request.pose, facts.video.displayed, placement.frame)),
    coverFrame,
    sharpen,
    ...played,
  });
  const dressed = withLayers(plain, placement, master.value);
  const { plan } = captions.value
    ? withCaptions(dressed, placement, captions.value.cues, shippedShaper(), master.value.roomFor)
    : dressed;
  const heard = await heardIn(plan, request.master, signal);
  return heard.ok ? ok({ plan, heard: heard.value, alone: false }) : heard;
}

/** Measures a file and compares it with its master, where there is one. */
async function reportOn(
  request: Request,
  { placement }: PlacedOutlet,
  wanted: Wanted,
  progress: ReturnType<typeof progressPrinter>,
  signal: AbortSignal,
): Promise<Result<CheckReport>> {
  progress('measure', 0, null);
  if (request.master === undefined) {
    const measured = await measureFile(request.file, signal);
    if (!measured.ok) return measured;
    progress('measure', 1, null);
    return ok(checkFile(wanted, measured.value, { placement }));
  }
  const examined = await examineFile(request.file, wanted.plan, request.master, {
    signal,
    onMeasured: () => progress('measure', 1, null),
    onProgress: (fraction) => progress('compare', fraction, null),
  });
  if (!examined.ok) return examined;
  progress('compare', 1, null);
  const { measured, compared } = examined.value;
  return ok(checkFile(wanted, measured, { placement, compared }));
}

/** Lines of what lies beside the file: its captions, and its cover, which needs the film that it is a picture of. */
async function linesBeside(request: Request, { plan }: Wanted, signal: AbortSignal): Promise<CheckLine[]> {
  const { sidecar, cover } = plan;
  const lines = sidecar ? [await sidecarLine(sidecar, request.file)] : [];
  if (!cover || request.master === undefined) return lines;
  const still = join(dirname(request.file), coverName(request.file, cover));
  return [...lines, await coverLineOf(plan, cover, still, request.master, signal)];
}

/** Writes a report's page, whole or not at all. */
async function writePage(path: string, page: Parameters<typeof reportPage>[0]): Promise<Result<void>> {
  const unfinished = join(dirname(path), `.${basename(path)}.${process.pid}`);
  try {
    await writeFile(unfinished, reportPage(page));
    await rename(unfinished, path);
    return ok(undefined);
  } catch {
    await rm(unfinished, { force: true });
    return fail(
      'no-page',
      `The page ${path} cannot be written.`,
      'Name a file in a folder that can be written to.',
    );
  }
}

/** Checks a finished file. Returns the exit status: 0 passed, 1 failed, 2 wrong use or unusable input, 130 interrupted. */
export async function checkCommand(argv: string[], lines: Lines, signal: AbortSignal): Promise<number> {
  const { print, tell } = lines;
  if (argv.includes('--help') || argv.includes('-h')) {
    tell(checkUsage);
    return 0;
  }
  const refuse = (problem: Parameters<typeof problemLine>[0]) => {
    tell(problemLine(problem));
    return 2;
  };
  const read = readRequest(argv);
  if (!read.ok) return refuse(read.problem);
  const request = read.value;
  const places = await readPlaces(request.specs, [request.placement]);
  if (!places.ok) return refuse(places.problem);
  const place = places.value[0]!;
  const wanted = await readWanted(request, place, tell, signal);
  if (!wanted.ok) return refuse(wanted.problem);
  const progress = progressPrinter(lines, request.quiet, { placement: request.placement });
  const report = await reportOn(request, place, wanted.value, progress, signal);
  if (!report.ok) return refuse(report.problem);
  const checks = [...report.value.checks, ...(await linesBeside(request, wanted.value, signal))];
  const passed = checks.every((line) => line.ok);
  const sha256 = await sha256File(request.file, signal);
  if (request.html !== undefined) {
    const written = await writePage(request.html, {
      file: basename(request.file),
      sha256,
      place: `${place.outlet.name}, ${place.placement.name}`,
      master: request.master === undefined ? null : basename(request.master),
      plan: wanted.value.plan,
      report: { ...report.value, passed, checks },
    });
    if (!written.ok) return refuse(written.problem);
  }
  const status = passed ? 'passed' : 'failed';
  print(JSON.stringify({ event: 'report', file: request.file, sha256, status, checks }));
  for (const line of checks.filter((c) => !c.ok))
    tell(
      `${basename(request.file)}: ${line.name}: ${line.measured}, wanted ${line.expected}. ${line.mend ?? ''}`,
    );
  return passed ? 0 : 1;
}
