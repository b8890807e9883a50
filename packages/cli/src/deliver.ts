import { access, constants, mkdir, readdir, readFile, mkdtemp, rm, stat } from 'node:fs/promises';
import { basename, extname, join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import {
  checkKept,
  deliverableName,
  fail,
  findPlacement,
  followedWords,
  followFilm,
  frameForMaster,
  frameRules,
  heldFraming,
  keepWithin,
  makePlan,
  nameKey,
  ok,
  parsePace,
  parseTimecode,
  planFingerprint,
  planForMaster,
  planMaster,
  problemLine,
  readSpecBook,
  readVersionPlan,
  refusal,
  clampPose,
  troublesOf,
  usualLively,
  type FrameSpan,
  type Framing,
  type MasterFacts,
  type Pace,
  type Played,
  type PlacedOutlet,
  type Pose,
  type Result,
} from '@mivvy/core';
import {
  Cancelled,
  countFrames,
  deliver,
  findShots,
  lookAtFilm,
  probeMaster,
  sha256File,
} from '@mivvy/media';

/** How `deliver` is called, for people. */
export const usage = `Usage: mivvy deliver --master FILE --specs SPECBOOK --placement ID [--placement ID …] --out DIR
                     [--framing hold|follow]  the window stands still (usual), or goes by what is seen in each shot
                     [--lively N]          how lively a following window may be, calm 0 to lively 1 (0.55)
                     [--at X,Y]            where it is centred, fractions of the master (0.5,0.5)
                     [--zoom Z]            how far it zooms in, 1 to 8 (1)
                     [--plan FILE]         framed and cut as a plan file of the app says, instead of --at and --zoom
                     [--pace P]            played P times as fast with the pitch kept, 1 to 2 (1); 25/24 for a fraction
                     [--in TC] [--to TC]   first frame delivered, and first one not: 00:00:05:10 or 5.4s
                     [--jobs N]            files made at a time, 1 to 4 (1)
                     [--quiet]             no progress lines`;

/** What the command line asked for, checked. */
interface Request {
  master: string;
  specs: string;
  placements: string[];
  out: string;
  pose: Pose;
  plan: string | undefined;
  follow: boolean;
  lively: number;
  /** Undefined: as the plan says, else as edited. */
  pace: Pace | undefined;
  from: string | undefined;
  to: string | undefined;
  jobs: number;
  quiet: boolean;
}

/** Flags that the contract knows and this release cannot serve yet. */
const notYet: Record<string, string> = { captions: 'captions' };

function readRequest(argv: string[]): Result<Request> {
  const wrong = (sentence: string) =>
    fail<Request>('wrong-use', sentence, 'Run “mivvy deliver --help” for the way it is called.');
  let values;
  try {
    ({ values } = parseArgs({
      args: argv,
      options: {
        master: { type: 'string' },
        specs: { type: 'string' },
        placement: { type: 'string', multiple: true },
        out: { type: 'string' },
        framing: { type: 'string', default: 'hold' },
        lively: { type: 'string', default: String(usualLively) },
        at: { type: 'string', default: '0.5,0.5' },
        zoom: { type: 'string', default: '1' },
        in: { type: 'string' },
        to: { type: 'string' },
        jobs: { type: 'string', default: '1' },
        quiet: { type: 'boolean', default: false },
        plan: { type: 'string' },
        pace: { type: 'string' },
        captions: { type: 'string' },
      },
    }));
  } catch (error) {
    return wrong(`${(error as Error).message.replace(/\.?$/, '.')}`);
  }
  for (const [flag, what] of Object.entries(notYet)) {
    if (values[flag as keyof typeof values] !== undefined)
      return wrong(`--${flag}: ${what} cannot be done by this release.`);
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
  const at = /^\s*(-?[\d.]+)\s*,\s*(-?[\d.]+)\s*$/.exec(values.at);
  if (!at || !Number.isFinite(Number(at[1])) || !Number.isFinite(Number(at[2])))
    return wrong(`--at ${values.at} is not two fractions such as 0.5,0.5.`);
  const zoom = Number(values.zoom);
  if (!(zoom >= 1 && zoom <= 8)) return wrong(`--zoom ${values.zoom} is not a number from 1 to 8.`);
  const pace = values.pace === undefined ? ok(undefined) : parsePace(values.pace);
  if (!pace.ok) return wrong(`--pace: ${pace.problem.sentence}`);
  const jobs = Number(values.jobs);
  if (!Number.isInteger(jobs) || jobs < 1 || jobs > 4)
    return wrong(`--jobs ${values.jobs} is not a whole number from 1 to 4.`);
  const inside = (n: number) => Math.max(0, Math.min(1, n));
  return ok({
    master: resolve(values.master),
    specs: resolve(values.specs),
    placements: [...new Set(values.placement)],
    out: resolve(values.out),
    pose: { x: inside(Number(at[1])), y: inside(Number(at[2])), zoom },
    plan: values.plan === undefined ? undefined : resolve(values.plan),
    follow: values.framing === 'follow',
    lively,
    pace: pace.value,
    from: values.in,
    to: values.to,
    jobs,
    quiet: values.quiet,
  });
}

function readSpan(request: Request, facts: MasterFacts): Result<FrameSpan> {
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

/**
 * The engine without the screen: delivers one master to some placements, as JSON lines on standard output.
 *
 * @returns the exit status: 0 all passed, 1 something failed or was refused, 2 wrong use or unusable input, 130 interrupted
 */
export async function deliverCommand(
  argv: string[],
  print: (line: string) => void,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<number> {
  if (argv.includes('--help') || argv.includes('-h')) {
    tell(usage);
    return 0;
  }
  const request = readRequest(argv);
  if (!request.ok) {
    tell(problemLine(request.problem));
    return 2;
  }
  try {
    const job = await prepare(request.value, tell, signal);
    if (!job.ok) {
      tell(problemLine(job.problem));
      return 2;
    }
    return await run(request.value, job.value, print, tell, signal);
  } catch (error) {
    if (error instanceof Cancelled || signal.aborted) return 130;
    throw error;
  }
}

interface Prepared {
  facts: MasterFacts;
  sha256: string;
  places: PlacedOutlet[];
  /** What plays of the film, in which order, how fast. */
  played: Partial<Played>;
  /** From a plan file; without one the window is held where the command line says. */
  framing: Framing | undefined;
  /** Where the window is to follow: how each frame shape is framed. */
  follow: ((place: PlacedOutlet) => { framing: Framing; words: string }) | undefined;
}

/** Finds the film's shots, looks at them, and readies the choice of windows. */
async function readyToFollow(
  request: Request,
  facts: MasterFacts,
  sha256: string,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<NonNullable<Prepared['follow']>>> {
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
  return ok(({ placement }) => {
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
  });
}

async function prepare(
  request: Request,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<Result<Prepared>> {
  const book = await readFile(request.specs, 'utf8').then(
    (text) => readSpecBook(text, basename(request.specs)),
    () => fail<never>('no-specs', `The spec book ${request.specs} cannot be read.`, 'Check the path.'),
  );
  if (!book.ok) return book;
  const places: PlacedOutlet[] = [];
  for (const id of request.placements) {
    const found = findPlacement(book.value.outlets, id);
    if (!found) {
      const ids = book.value.outlets.flatMap((o) => o.placements.map((p) => p.id)).join(', ');
      return fail('no-placement', `The spec book has no placement “${id}”.`, `It has: ${ids}.`);
    }
    places.push(found);
  }
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
  const there = await stat(request.master).catch(() => null);
  if (!there?.isFile()) return fail('no-master', `There is no file at ${request.master}.`, 'Check the path.');
  const quick = await probeMaster(request.master, signal);
  if (!quick.ok) return quick;
  const facts = await countFrames(request.master, quick.value, signal);
  if (!facts.ok) return facts;
  let framing: Framing | undefined;
  let cut: Partial<Played> = {};
  if (request.plan !== undefined) {
    const text = await readFile(request.plan, 'utf8').catch(() => null);
    if (text === null) return fail('no-plan', `The plan ${request.plan} cannot be read.`, 'Check the path.');
    const plan = readVersionPlan(text, basename(request.plan));
    if (!plan.ok) return plan;
    const fitted = planForMaster(plan.value, facts.value);
    fitted.words.forEach(tell);
    framing = fitted.framing;
    cut = fitted.cut ?? {};
    const checked = cut.kept ? checkKept(cut.kept, facts.value.video.frames) : ok(undefined);
    if (!checked.ok) return checked;
  }
  const span = readSpan(request, facts.value);
  if (!span.ok) return span;
  // In and out points hold inside a plan's cut as well.
  const kept = keepWithin(cut.kept ?? [span.value], span.value);
  if (kept.length === 0)
    return fail(
      'empty-cut',
      'Nothing would be delivered: between --in and --to the plan keeps nothing.',
      'Leave them out, or move them.',
    );
  const played = { ...cut, kept, ...(request.pace ? { pace: request.pace } : {}) };
  const sha256 = await sha256File(request.master, signal);
  if (!request.follow) return ok({ facts: facts.value, sha256, places, played, framing, follow: undefined });
  const follow = await readyToFollow(request, facts.value, sha256, tell, signal);
  return follow.ok
    ? ok({ facts: facts.value, sha256, places, played, framing, follow: follow.value })
    : follow;
}

async function run(
  request: Request,
  { facts, sha256, places, played, framing, follow }: Prepared,
  print: (line: string) => void,
  tell: (line: string) => void,
  signal: AbortSignal,
): Promise<number> {
  // Work lies in a hidden folder beside the files, so that finishing is a rename on one disk.
  const work = await mkdtemp(join(request.out, '.mivvy-'));
  const name = basename(request.master, extname(request.master));
  const lying = new Set((await readdir(request.out)).map(nameKey));
  let allPassed = true;
  const one = async (place: PlacedOutlet) => {
    const { outlet, placement } = place;
    const followed = follow?.(place);
    if (followed) tell(`${outlet.name}, ${placement.name}: ${followed.words}`);
    const pose = clampPose(request.pose, facts.video.displayed, placement.frame);
    const planned = makePlan({
      facts,
      sha256,
      placement,
      framing: followed?.framing ?? framing ?? heldFraming(pose),
      ...played,
    });
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
      return lying.has(nameKey(wished)) ? named(exportNumber + 1) : wished;
    };
    const fileName = named(1);
    lying.add(nameKey(fileName));
    const file = join(request.out, fileName);
    let lastPrinted = 0;
    const made = await deliver(plan, {
      masterPath: request.master,
      outPath: file,
      workDir: join(work, placement.id),
      signal,
      onProgress: ({ stage, fraction, etaSeconds }) => {
        if (request.quiet || (Date.now() - lastPrinted < 500 && fraction < 1)) return;
        lastPrinted = Date.now();
        print(
          JSON.stringify({
            event: 'progress',
            placement: placement.id,
            stage,
            fraction: Number(fraction.toFixed(3)),
            etaSeconds,
          }),
        );
      },
    });
    if (!made.ok) {
      allPassed = false;
      tell(`${outlet.name}, ${placement.name}: ${problemLine(made.problem)}`);
      return event({ file: null, sha256: null, status: 'failed', checks: [], problem: made.problem });
    }
    if (!made.value.report.passed) allPassed = false;
    event({
      file,
      sha256: made.value.sha256,
      status: made.value.report.passed ? 'passed' : 'failed',
      checks: made.value.report.checks,
      fingerprint: planFingerprint(plan),
    });
  };
  try {
    const queue = [...places];
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
