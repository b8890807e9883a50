import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import * as z from 'zod';
import {
  followAnswerSchema,
  inboxFileSchema,
  lookViewSchema,
  masterSchema,
  productionCardSchema,
  productionDetailSchema,
  productionSchema,
  versionSchema,
} from '@mivvy/api';
import { usualLively } from '@mivvy/core';
import { demoFilms } from './film/make.ts';
import { filmCuts, filmFraming, filmKeeps } from './framing.ts';

const productionName = 'Kite Weekend';
const client = 'Gullhaven Harbour Trust';

const addressSchema = z.object({ port: z.number() });

/** The address in a file, if a server answers there; a server that was killed has left its own behind. */
async function answering(file: string): Promise<string | null> {
  try {
    const { port } = addressSchema.parse(JSON.parse(await readFile(file, 'utf8')));
    const base = `http://127.0.0.1:${port}`;
    return (await fetch(`${base}/api/health`)).ok ? base : null;
  } catch {
    return null;
  }
}

/** Waits until the server answers at the address that it has written. */
async function serverAddress(file: string): Promise<string> {
  for (let i = 0; i < 300; i++) {
    const base = await answering(file);
    if (base) return base;
    await setTimeout(200);
  }
  throw new Error('the server did not start');
}

const file = process.argv[2];
if (!file) throw new Error('where does the server write its address?');
const base = await serverAddress(file);

async function ask<S extends z.ZodType>(
  schema: S,
  path: string,
  method = 'GET',
  body?: unknown,
): Promise<z.infer<S>> {
  const answer = await fetch(`${base}/api${path}`, {
    method,
    ...(body === undefined
      ? {}
      : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
  });
  const data: unknown = await answer.json();
  if (!answer.ok) throw new Error(`${method} ${path}: ${JSON.stringify(data)}`);
  return schema.parse(data);
}

/** Fills an empty workspace with the demo; a workspace that already has the production is left as it is. */
async function fill(): Promise<void> {
  const there = await ask(z.array(productionCardSchema), '/productions');
  if (there.some((p) => p.name === productionName && p.client === client)) return;
  const book = await readFile(fileURLToPath(new URL('../specs/demo.specbook.json', import.meta.url)), 'utf8');
  await ask(z.unknown(), '/spec-book/files', 'POST', { fileName: 'demo.specbook.json', text: book });

  const production = await ask(productionSchema, '/productions', 'POST', { name: productionName, client });
  const inbox = await ask(z.array(inboxFileSchema), '/inbox');
  let film: z.infer<typeof masterSchema> | undefined;
  for (const { file: name } of demoFilms) {
    const lying = inbox.find((f) => basename(f.path) === name);
    if (!lying) continue;
    const master = await ask(masterSchema, `/productions/${production.id}/masters`, 'POST', {
      inboxFile: lying.path,
    });
    film ??= master;
  }
  if (!film?.facts) return;
  const displayed = film.facts.video.displayed;
  await ask(z.unknown(), `/productions/${production.id}/versions`, 'POST', {
    masterId: film.id,
    placementIds: [
      'kelpie-tall',
      'hearthpost-feed',
      'hearthpost-square',
      'longmere-wide',
      'tarnboard-board',
      'hearthpost-story',
      'wickerly-header',
    ],
  });
  const detail = () => ask(productionDetailSchema, `/productions/${production.id}`);
  // Its cuts are found while it is read; framing starts when they are known.
  let { versions, masters } = await detail();
  for (let i = 0; i < 300 && !masters.find((m) => m.id === film.id)?.shots; i++) {
    await setTimeout(400);
    ({ versions, masters } = await detail());
  }
  const master = masters.find((m) => m.id === film.id)!;
  if (master.shots?.length === filmCuts.length) {
    await ask(masterSchema, `/masters/${film.id}/work`, 'PATCH', {
      revision: master.revision,
      keeps: filmKeeps,
    });
    for (const version of versions.filter((v) => v.masterId === film.id && v.placement)) {
      const framing = filmFraming(version.placementId, {
        shots: master.shots,
        frames: film.facts.video.frames,
        masterSize: displayed,
        frameSize: version.placement!.frame,
      });
      await ask(versionSchema, `/versions/${version.id}`, 'PATCH', { revision: version.revision, framing });
    }
  }
  const phone = masters.find((m) => m.fileName.startsWith('Phone'));
  if (phone)
    await ask(z.unknown(), `/productions/${production.id}/versions`, 'POST', {
      masterId: phone.id,
      placementIds: ['kelpie-tall', 'hearthpost-story'],
    });

  // What nobody has framed by hand is framed by what is seen, as soon as the film has been looked at.
  const story = (await detail()).versions.find(
    (v) => v.masterId === film.id && v.placementId === 'hearthpost-story',
  );
  for (let i = 0; story && i < 600; i++) {
    const { state } = await ask(lookViewSchema, `/masters/${film.id}/look`);
    if (state === 'failed') return;
    if (state === 'done')
      return void (await ask(followAnswerSchema, `/productions/${production.id}/follow`, 'POST', {
        versionIds: [story.id],
        lively: usualLively,
      }));
    await setTimeout(500);
  }
}

await fill();
