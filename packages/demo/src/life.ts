import { copyFile, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import * as z from 'zod';
import { addDays, format } from 'date-fns';
import {
  inboxFileSchema,
  jobSchema,
  madeReviewLinkSchema,
  masterSchema,
  productionDetailSchema,
  versionSchema,
} from '@mivvy/api';
import { heldFraming, sayAgain, type Clip, type Framing, type Pose } from '@mivvy/core';
import { textlessFile } from './film/make.ts';
import { filmCuts } from './framing.ts';
import type { Ask } from './server.ts';

type Detail = z.infer<typeof productionDetailSchema>;

/** What a step of the demo's life works with. */
interface Demo {
  ask: Ask;
  productionId: string;
  dataDir: string;
  /** The production as it is now. */
  detail: () => Promise<Detail>;
}

const pose = (x: number, y = 0.5, zoom = 1): Pose => ({ x, y, zoom });
const whole = (clip: Pick<Clip, 'move' | 'fill'>): Framing => ({
  version: 1,
  stretches: [{ from: 0, move: clip.move, fill: clip.fill }],
});

/** Waits until something of the production is so; gives up after a while, since a person may have removed it. */
async function until<T>(demo: Demo, look: (detail: Detail) => T | undefined | false): Promise<T | undefined> {
  for (let i = 0; i < 1200; i++) {
    const found = look(await demo.detail());
    if (found) return found;
    await setTimeout(500);
  }
  return undefined;
}

const masterOf = (detail: Detail, fileName: string) =>
  detail.masters.find((m) => m.fileName.startsWith(fileName));
const versionOf = (detail: Detail, fileName: string, placementId: string) =>
  detail.versions.find((v) => v.placementId === placementId && v.masterId === masterOf(detail, fileName)?.id);
const [kite, teaser, phone, archive] = ['Kite Weekend.mp4', 'Kite Weekend teaser', 'Phone', 'Archive'];
const textless = textlessFile;

/** Frames a version, unless a person was there before. */
async function frame(demo: Demo, fileName: string, placementId: string, framing: Framing): Promise<void> {
  const version = versionOf(await demo.detail(), fileName, placementId);
  if (!version || version.revision > 2) return;
  const { id, revision } = version;
  await demo.ask(versionSchema, `/versions/${id}`, 'PATCH', { revision, framing });
}

async function add(demo: Demo, fileName: string, placementIds: string[]): Promise<void> {
  const master = await until(demo, (d) => {
    const found = masterOf(d, fileName);
    return found?.shots ? found : undefined;
  });
  if (master)
    await demo.ask(z.unknown(), `/productions/${demo.productionId}/versions`, 'POST', {
      masterId: master.id,
      placementIds,
    });
}

/** Exports a version and waits for how that ends. */
async function exported(demo: Demo, fileName: string, placementId: string): Promise<void> {
  const version = versionOf(await demo.detail(), fileName, placementId);
  if (!version || version.deliverable) return;
  await demo.ask(z.array(jobSchema), `/productions/${demo.productionId}/exports`, 'POST', {
    versionIds: [version.id],
  });
  await until(demo, (d) => {
    const now = d.versions.find((v) => v.id === version.id);
    return !now || !['queued', 'making', 'comparing'].includes(now.standing);
  });
}

/** The archive film is not looked at: as if somebody had stopped that. */
async function stopLooking(demo: Demo): Promise<void> {
  const master = await until(demo, (d) => masterOf(d, archive));
  if (!master) return;
  for (let i = 0; i < 600; i++) {
    const jobs = await demo.ask(z.array(jobSchema), `/productions/${demo.productionId}/jobs`);
    const look = jobs.find((j) => j.kind === 'look' && j.subjectId === master.id);
    if (look?.state === 'queued' || look?.state === 'running')
      return void (await demo.ask(z.unknown(), `/jobs/${look.id}/cancel`, 'POST'));
    if (look) return;
    await setTimeout(200);
  }
}

/** Where one of the demo's own films lies, in the inbox folders that the launcher names. */
async function demoFilm(begins: string): Promise<string | undefined> {
  for (const folder of (process.env.MIVVY_INBOX ?? '').split(':').filter(Boolean)) {
    const found = (await readdir(folder).catch((): string[] => [])).find((name) => name.startsWith(begins));
    if (found) return join(folder, found);
  }
  return undefined;
}

/** A film that is taken away after it was brought in: its export fails for a true reason. */
async function withdrawn(demo: Demo): Promise<void> {
  const inbox = join(demo.dataDir, 'inbox');
  const source = await demoFilm(phone);
  if (!source) return;
  const name = 'Ferry clip, withdrawn.mov';
  const file = join(inbox, name);
  await mkdir(inbox, { recursive: true });
  if (!(await readdir(inbox)).includes(name)) await copyFile(source, file);
  const lying = (await demo.ask(z.array(inboxFileSchema), '/inbox')).find((f) => f.name === name);
  if (!lying || masterOf(await demo.detail(), name)) return;
  await demo.ask(masterSchema, `/productions/${demo.productionId}/masters`, 'POST', {
    inboxFile: lying.path,
  });
  await until(demo, (d) => masterOf(d, name)?.sha256);
  await add(demo, name, ['hearthpost-square']);
  await rm(file);
  await exported(demo, name, 'hearthpost-square');
}

/** The film's textless master: matched with it, and a version whose frame cuts the title is drawn from it. */
async function withoutTitle(demo: Demo): Promise<void> {
  const film = await until(demo, (d) => masterOf(d, kite));
  const lying = (await demo.ask(z.array(inboxFileSchema), '/inbox')).find((f) => f.name === textless);
  const { masters, textlessMasters } = await demo.detail();
  const there = [...masters, ...textlessMasters].some((m) => m.fileName === textless);
  if (!film || !lying || there) return;
  const master = await demo.ask(masterSchema, `/productions/${demo.productionId}/masters`, 'POST', {
    inboxFile: lying.path,
  });
  await demo.ask(masterSchema, `/masters/${film.id}/textless`, 'PUT', { masterId: master.id });
  const matched = await until(demo, (d) => {
    const now = masterOf(d, kite);
    return now?.textless ? now : undefined;
  });
  const version = versionOf(await demo.detail(), kite, 'hearthpost-feed');
  const title = matched?.keeps.find(({ kind }) => kind === 'title');
  if (!matched || !version || !title) return;
  await demo.ask(versionSchema, `/versions/${version.id}/textless`, 'PATCH', { textless: true });
  const again = { keep: title, versionId: version.id, text: 'Kite Weekend', id: 'kite-title' };
  await demo.ask(masterSchema, `/masters/${film.id}/dressing`, 'PUT', {
    revision: matched.dressingRevision,
    dressing: sayAgain(matched.dressing, again),
  });
}

/** Everything that gives the demo its life, in order; each step is done once, and a person may be at work meanwhile. */
const steps: Readonly<Record<string, (demo: Demo) => Promise<void>>> = {
  stopLooking,
  withoutTitle,
  // A cut of fifteen seconds: the opening, and the end card.
  shortCut: async (demo) => {
    const detail = await demo.detail();
    const story = versionOf(detail, kite, 'hearthpost-story');
    const film = masterOf(detail, kite);
    if (!story || story.cutId !== null || !film?.facts) return;
    const { frames } = film.facts.video;
    const card = { from: filmCuts[11]!, to: frames };
    const room = 15 * 25 - (card.to - card.from);
    const master = await demo.ask(masterSchema, `/masters/${film.id}/cuts`, 'POST', {
      name: '15 s',
      kept: [{ from: 0, to: room }, card],
    });
    await demo.ask(versionSchema, `/versions/${story.id}/cut`, 'PATCH', { cutId: master.cuts.at(-1)!.id });
  },
  // The ways that the film itself does not show: keyframes, bars, a soft copy, two windows.
  otherWays: async (demo) => {
    await add(demo, teaser, ['kelpie-tall', 'hearthpost-square', 'hearthpost-feed']);
    await add(demo, phone, ['longmere-wide']);
    await add(demo, archive, ['hearthpost-square']);
    const path = [
      { at: 0, pose: pose(0.3) },
      { at: 180, pose: pose(0.5, 0.5, 1.1) },
      { at: 420, pose: pose(0.68) },
    ];
    await frame(
      demo,
      teaser,
      'kelpie-tall',
      whole({ move: { kind: 'path', keys: path }, fill: { kind: 'filled' } }),
    );
    await frame(
      demo,
      teaser,
      'hearthpost-square',
      whole({ move: { kind: 'hold', pose: pose(0.5) }, fill: { kind: 'bars', colour: '#14343a' } }),
    );
    await frame(
      demo,
      teaser,
      'hearthpost-feed',
      whole({
        move: { kind: 'hold', pose: pose(0.35) },
        fill: { kind: 'stacked', divide: 0.5, lower: { kind: 'hold', pose: pose(0.65) } },
      }),
    );
    await frame(
      demo,
      phone,
      'longmere-wide',
      whole({ move: { kind: 'hold', pose: pose(0.5) }, fill: { kind: 'soft' } }),
    );
  },
  // Five files; one of them is behind after its window was moved.
  files: async (demo) => {
    for (const [fileName, placementId] of [
      [teaser, 'hearthpost-square'],
      [phone, 'kelpie-tall'],
      [phone, 'longmere-wide'],
      [kite, 'longmere-wide'],
      [kite, 'hearthpost-square'],
    ] as const)
      await exported(demo, fileName, placementId);
  },
  behind: async (demo) => {
    const version = versionOf(await demo.detail(), teaser, 'hearthpost-square');
    if (version?.standing !== 'passed') return;
    const { id, revision } = version;
    const framing = heldFraming(pose(0.56));
    await demo.ask(versionSchema, `/versions/${id}`, 'PATCH', { revision, framing });
  },
  withdrawn,
  // Days, people, and a client who has looked: one film is good, one should change.
  client: async (demo) => {
    const day = (days: number) => format(addDays(new Date(), days), 'yyyy-MM-dd');
    const { productionId, ask } = demo;
    await ask(z.unknown(), `/productions/${productionId}`, 'PATCH', { dueOn: day(6) });
    const track = async (fileName: string, placementId: string, dueOn: string, holder: string) => {
      const version = versionOf(await demo.detail(), fileName, placementId);
      if (version)
        await ask(z.unknown(), `/productions/${productionId}/tracking`, 'PATCH', {
          versionIds: [version.id],
          dueOn,
          holder,
        });
    };
    await track(kite, 'kelpie-tall', day(1), 'Tove');
    await track(kite, 'hearthpost-square', day(2), 'Ravi');
    await track(teaser, 'hearthpost-square', day(-1), 'Tove');
    const shown = (await demo.detail()).versions.filter((v) => v.standing === 'passed');
    if (shown.length < 2) return;
    const made = await ask(madeReviewLinkSchema, `/productions/${productionId}/review-links`, 'POST', {
      name: 'The harbour’s board',
      versionIds: shown.map((v) => v.id),
      days: 30,
    });
    const { origin, pathname } = new URL(made.address);
    const review = `${origin}/api/review/${pathname.split('/').at(-1)!}`;
    const tell = async (path: string, body: object) => {
      const answer = await fetch(`${review}/${path}`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body),
      });
      if (!answer.ok) throw new Error(`the review answers ${answer.status}`);
    };
    const seen = (placementId: string) => {
      const file = shown.find((v) => v.placementId === placementId)?.deliverable;
      return file && { deliverableId: file.id, sha256: file.sha256, by: 'Ines Halloran' };
    };
    const [wide, square] = [seen('longmere-wide'), seen('hearthpost-square')];
    if (wide) await tell('answers', { ...wide, answer: 'approved' });
    if (square) {
      const words = 'Could she stand a little more to the left here?';
      await tell('notes', { ...square, frame: 225, x: 0.55, y: 0.4, words });
      await tell('answers', { ...square, answer: 'changes-asked' });
    }
  },
  // What was approved goes to its outlet.
  dispatch: async (demo) => {
    const approved = (await demo.detail()).versions.filter((v) => v.stage === 'approved');
    if (approved.length > 0)
      await demo.ask(z.unknown(), `/productions/${demo.productionId}/dispatches`, 'POST', {
        deliverableIds: approved.map((v) => v.deliverable!.id),
        connector: 'outlet',
      });
  },
};

const doneSchema = z.array(z.string());

/** Goes on with the demo, in the background, until it has something true to show on every screen. */
export async function liven(ask: Ask, productionId: string, dataDir: string): Promise<void> {
  const noted = join(dataDir, 'demo-steps.json');
  const done = await readFile(noted, 'utf8').then(
    (text) => doneSchema.parse(JSON.parse(text)),
    (): string[] => [],
  );
  const detail = () => ask(productionDetailSchema, `/productions/${productionId}`);
  for (const [name, step] of Object.entries(steps)) {
    if (done.includes(name)) continue;
    try {
      await step({ ask, productionId, dataDir, detail });
    } catch (error) {
      // A person changed or removed what the step was about: that stays as it is.
      process.stderr.write(`The demo leaves out a step (${name}): ${String(error).slice(0, 200)}\n`);
    }
    done.push(name);
    await writeFile(noted, JSON.stringify(done));
  }
}
