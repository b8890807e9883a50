import { access, constants, mkdir, readdir, mkdtemp, rm, stat, writeFile } from 'node:fs/promises';
import { homedir, tmpdir } from 'node:os';
import { basename, dirname, extname, join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import {
  clampPose,
  deliverableName,
  facesSeen,
  fail,
  followedWords,
  followFilm,
  frameForMaster,
  frameRules,
  heldFraming,
  makePlan,
  nameKey,
  ok,
  ownFaultCode,
  planFingerprint,
  planMaster,
  problemLine,
  refusal,
  troublesOf,
  usualLively,
  withCaptions,
  type Cue,
  type Framing,
  type MasterFacts,
  type PlacedOutlet,
  type Result,
} from '@mivvy/core';
import {
  coverName,
  deliver,
  faultReport,
  findShots,
  lookAtFilm,
  readCaptionFile,
  shippedShaper,
  sidecarName,
  DecodedFilms,
  SoundShelf,
} from '@mivvy/media';
import { progressPrinter, type Lines } from './lines.ts';
import {
  playingOptions,
  readMaster,
  readPlaces,
  readPlaying,
  withLayers,
  type PlayingRequest,
  type ReadMaster,
} from './playing.ts';

/** How `deliver` is called, for people. */
export const usage = `Usage: mivvy deliver --master FILE --specs SPECBOOK --placement ID [--placement ID …] --out DIR
                     [--framing hold|follow]  the window stands still (usual), or goes by what is seen in each shot
                     [--lively N]          how lively a following window may be, calm 0 to lively 1 (0.55)
                     [--at X,Y]            where it is centred, fractions of the master (0.5,0.5)
                     [--zoom Z]            how far it zooms in, 1 to 8 (1)
                     [--plan FILE]         framed and cut as a plan file of the app says, instead of --at and --zoom
                     [--pace P]            played P times as fast with the pitch kept, 1 to 2 (1); 25/24 for a fraction
                     [--in TC] [--to TC]   first frame delivered, and first one not: 00:00:05:10 or 5.4s
                     [--captions FILE]     SubRip or WebVTT: drawn in, or written beside the film, as the place asks
                     [--cover TC]          the picture that a cover shows, where a place asks for one
                     [--jobs N]            files made at a time, 1 to 4 (1)
                     [--quiet]             no progress lines`;

/** What the command line asked for, checked. */
interface Request extends PlayingRequest {
  master: string;
  specs: string;
  placements: string[];
  out: string;
  follow: boolean;
  lively: number;
  /** Path of a caption file. */
  captions: string | undefined;
  jobs: number;
  quiet: boolean;
}

function readRequest(argv: string[]): Result<Request> {
  const wrong = (sentence: string) =>
    fail<Request>('wrong-use', sentence, 'Run “mivvy deliver --help” for the way it is called.');
  let values;
  try {
    ({ values } = parseArgs({
      args: argv,
      options: {
        ...playingOptions,
        master: { type: 'string' },
        specs: { type: 'string' },
        placement: { type: 'string', multiple: true },
        out: { type: 'string' },
        lively: { type: 'string', default: String(usualLively) },
        jobs: { type: 'string', default: '1' },
        quiet: { type: 'boolean', default: false },
        captions: { type: 'string' },
      },
    }));
  } catch (error) {
    return wrong(`${(error as Error).message.replace(/\.?$/, '.')}`);
  }
  if (!values.master) return wrong('--master is missing: which film?');
  if (!values.specs) return wrong('--specs is missing: which spec book?');
  if (!values.placement?.length) return wrong('--placement is missing: where does the film go?');
  if (!values.out) return wrong('--out is missing: which folder do the files go to?');
  if (values.framing !== 'hold' && values.framing !== 'follow')
    return wrong(`--framing ${values.framing} is not known; use hold or follow.`);
  if (values.framing === 'follow' && values.plan !== undefined)
    return wrong('--framing follow and --plan cannot both say how the film is framed; leave one out.');
  const lively = Number(values.lively);
  if (!(lively >= 0 && lively <= 1)) return wrong(`--lively ${values.lively} is not a number from 0 to 1.`);
  const playing = readPlaying(values);
  if ('wrong' in playing) return wrong(playing.wrong);
  const jobs = Number(values.jobs);
  if (!Number.isInteger(jobs) || jobs < 1 || jobs > 4)
    return wrong(`--jobs ${values.jobs} is not a whole number from 1 to 4.`);
  return ok({
    ...playing.request,
    master: resolve(values.master),
    specs: resolve(values.specs),
    placements: [...new Set(values.placement)],
    out: resolve(values.out),
    follow: values.framing === 'follow',
    lively,
    captions: values.captions === undefined ? undefined : resolve(values.captions),
    jobs,
    quiet: values.quiet,
  });
}

/**
 * The engine without the screen: delivers one master to some placements, as JSON lines on standard output.
 *
 * @returns the exit status: 0 all passed, 1 something failed or was refused, 2 wrong use or unusable input, 130 interrupted
 */
export async function deliverCommand(argv: string[], lines: Lines, signal: AbortSignal): Promise<number> {
  const { tell } = lines;
  if (argv.includes('--help') || argv.includes('-h')) {
    tell(usage);
    return 0;
  }
  const request = readRequest(argv);
  if (!request.ok) {
    tell(problemLine(request.problem));
    return 2;
  }
  const job = await prepare(request.value, tell, signal);
  if (!job.ok) {
    tell(problemLine(job.problem));
    return 2;
  }
  return run(request.value, job.value, lines, signal);
}

interface Prepared extends ReadMaster {
  /** Captions, timed by the master; undefined where none were given. */
  cues: Cue[] | undefined;
  places: PlacedOutlet[];
  /** Where the window is to follow: how each frame shape is framed. */
  follow: ((place: PlacedOutlet) => { framing: Framing; words: string }) | undefined;
}

/** Finds the film's shots, looks at them, and readies the choice of windows; captions make room for the faces seen. */
async function readyToFollow(
  request: Request,
  facts: MasterFacts,
  sha256: string,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<Pick<Prepared, 'follow' | 'roomFor'>>> {
  const master = planMaster(facts, sha256);
  const found = await findShots(request.master, facts, master, { signal });
  if (!found.ok) return found;
  const { shots } = found.value;
  const look = await lookAtFilm(request.master, facts, master, shots, {
    signal,
    onShot: (seen) =>
      request.quiet || tell(`Looked at ${Math.round((100 * seen.to) / facts.video.frames)} % of the film.`),
  });
  if (!look.ok) return look;
  if (look.value.detector.kind === 'missing') tell(look.value.detector.sentence);
  const follow: Prepared['follow'] = ({ placement }) => {
    const frame = frameForMaster(facts.video.displayed, placement.frame, placement.largerFrame);
    const run = followFilm(
      {
        shots,
        frames: facts.video.frames,
        rate: facts.video.rate,
        masterSize: facts.video.displayed,
        keeps: [],
        looks: look.value.shots,
        drawn: [],
        rules: frameRules(placement, frame, { kind: 'place' }),
      },
      heldFraming(clampPose(request.pose, facts.video.displayed, frame)),
      { lively: request.lively, handMade: true },
    );
    return { framing: run.framing, words: followedWords(run) };
  };
  return ok({ follow, roomFor: facesSeen(look.value.shots) });
}

async function prepare(
  request: Request,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<Prepared>> {
  const places = await readPlaces(request.specs, request.placements);
  if (!places.ok) return places;
  const captions = request.captions === undefined ? ok(undefined) : await readCaptionFile(request.captions);
  if (!captions.ok) return captions;
  captions.value?.words.forEach(tell);
  const out = await stat(request.out).catch(() => null);
  if (out && !out.isDirectory())
    return fail(
      'no-folder',
      `--out ${request.out} is a file, not a folder.`,
      'Name a folder; it is made where it is missing.',
    );
  const refusedOut = await mkdir(request.out, { recursive: true })
    .then(() => access(request.out, constants.W_OK))
    .then(
      () => null,
      (error: NodeJS.ErrnoException) => error,
    );
  if (refusedOut)
    return fail(
      'no-folder',
      `The folder ${request.out} cannot be written to.`,
      refusedOut.code === 'ENOSPC'
        ? 'Its disk is full.'
        : 'Choose another, or give it the right to be written to.',
    );
  const master = await readMaster(request.master, request, tell, signal);
  if (!master.ok) return master;
  const prepared = { ...master.value, places: places.value, cues: captions.value?.cues, follow: undefined };
  if (!request.follow) return ok(prepared);
  const { facts, sha256 } = master.value;
  const ready = await readyToFollow(request, facts, sha256, tell, signal);
  return ready.ok ? ok({ ...prepared, ...ready.value }) : ready;
}

async function run(
  request: Request,
  { facts, sha256, places, cues, played, framing, coverFrame, sharpen, follow, ...read }: Prepared,
  lines: Lines,
  signal: AbortSignal,
): Promise<number> {
  const { print, tell } = lines;
  // Work lies in a hidden folder beside the files, so that finishing is a rename on one disk.
  const work = await mkdtemp(join(request.out, '.mivvy-'));
  const name = basename(request.master, extname(request.master));
  const lying = new Set((await readdir(request.out)).map(nameKey));
  for (const [sum, bytes] of [...read.pictures, ...read.typefaces])
    await writeFile(join(work, `graphic-${sum}`), bytes);
  let allPassed = true;
  const sounds = new SoundShelf();
  const films = new DecodedFilms(work);
  const queue = [...places];
  const one = async (place: PlacedOutlet) => {
    const { outlet, placement } = place;
    const followed = follow?.(place);
    if (followed) tell(`${outlet.name}, ${placement.name}: ${followed.words}`);
    const pose = clampPose(request.pose, facts.video.displayed, placement.frame);
    const plain = makePlan({
      facts,
      sha256,
      placement,
      framing: followed?.framing ?? framing ?? heldFraming(pose),
      coverFrame,
      sharpen,
      ...played,
    });
    const dressed = withLayers(plain, placement, read);
    const planned = cues ? withCaptions(dressed, placement, cues, shippedShaper(), read.roomFor) : dressed;
    const troubles = troublesOf(planned, placement);
    const event = (rest: object) =>
      print(JSON.stringify({ event: 'deliverable', placement: placement.id, ...rest, troubles }));
    if (refusal(troubles)) {
      allPassed = false;
      for (const t of troubles.filter((t) => t.severity === 'fault'))
        tell(`${outlet.name}, ${placement.name}: ${t.sentence} ${t.mend}`);
      return event({ file: null, sha256: null, status: 'refused', checks: [] });
    }
    const { plan } = planned;
    const { sidecar, cover } = plan;
    const besides = (film: string): string[] => [
      ...(sidecar ? [sidecarName(film, sidecar)] : []),
      ...(cover ? [coverName(film, cover)] : []),
    ];
    // What lies there already stays, whoever made it: the next number that is free is taken.
    const named = (exportNumber: number): string => {
      const wished = deliverableName({
        production: name,
        master: name,
        placementId: placement.id,
        frameSize: plan.frame,
        rate: plan.rate,
        container: plan.container,
        exportNumber,
        plain: placement.fileNames === 'plain',
      });
      const taken = [wished, ...besides(wished)].some((n) => lying.has(nameKey(n)));
      return taken ? named(exportNumber + 1) : wished;
    };
    const fileName = named(1);
    for (const n of [fileName, ...besides(fileName)]) lying.add(nameKey(n));
    const file = join(request.out, fileName);
    const progress = progressPrinter(lines, request.quiet, { placement: placement.id });
    const logFile = join(work, `${placement.id}.log`);
    const made = await deliver(plan, {
      masterPath: request.master,
      outPath: file,
      workDir: join(work, placement.id),
      sounds,
      decoded: { films, wanted: () => queue.length > 0 },
      placement,
      logFile,
      sidecarBeside: true,
      graphicPath: ({ sha256: sum }) => join(work, `graphic-${sum}`),
      signal,
      onProgress: ({ stage, fraction, etaSeconds }) => progress(stage, fraction, etaSeconds),
    });
    if (!made.ok) {
      allPassed = false;
      const { problem } = made;
      tell(`${outlet.name}, ${placement.name}: ${problemLine(problem)}`);
      const failed = { file: null, sha256: null, status: 'failed', checks: [], problem };
      if (problem.code !== ownFaultCode) return event(failed);
      const folders = [request.out, dirname(request.master), homedir()];
      const faultFile = join(await mkdtemp(join(tmpdir(), 'mivvy-fault-')), `${placement.id}.fault.json`);
      await writeFile(faultFile, await faultReport({ problem, plan, placement, logFile, folders }));
      tell(`The fault report is ${faultFile}.`);
      return event({ ...failed, faultReport: faultFile });
    }
    const { checks, passed } = made.value.report;
    if (!passed) allPassed = false;
    event({
      file,
      sha256: made.value.sha256,
      ...(made.value.sidecar === undefined ? {} : { captions: made.value.sidecar }),
      ...(made.value.cover === undefined ? {} : { cover: made.value.cover }),
      status: passed ? 'passed' : 'failed',
      checks,
      fingerprint: planFingerprint(plan),
    });
  };
  try {
    await Promise.all(
      Array.from({ length: request.jobs }, async () => {
        for (let next = queue.shift(); next; next = queue.shift()) await one(next);
      }),
    );
  } finally {
    await rm(work, { recursive: true, force: true });
  }
  return allPassed ? 0 : 1;
}
