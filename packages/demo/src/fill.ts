import { readFile } from 'node:fs/promises';
import { basename, dirname } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import * as z from 'zod';
import {
  inboxFileSchema,
  masterSchema,
  productionCardSchema,
  productionDetailSchema,
  productionSchema,
  versionSchema,
} from '@mivvy/api';
import { demoFilms } from './film/make.ts';
import { filmCuts, filmFraming, filmKeeps } from './framing.ts';
import { liven } from './life.ts';
import { dressFilm } from './dressing.ts';
import { apiOf, senderOf } from './server.ts';

const file = process.argv[2];
if (!file) throw new Error('where does the server write its address?');
const ask = await apiOf(file);

const productionName = 'Kite Weekend';
const client = 'Gullhaven Harbour Trust';

/**
 * Fills an empty workspace with the demo; a workspace that already has the production is left as it is.
 *
 * @param addressFile where the server writes its address
 * @returns the production's id, or null where there is nothing to be done in it
 */
async function fill(addressFile: string): Promise<string | null> {
  const there = await ask(z.array(productionCardSchema), '/productions');
  const known = there.find((p) => p.name === productionName && p.client === client);
  if (known) return known.id;
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
  if (!film?.facts) return null;
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
      'longmere-tall-cut',
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
  const titled = ['longmere-wide', 'wickerly-header'];
  await dressFilm(
    ask,
    await senderOf(addressFile),
    (await detail()).masters.find((m) => m.id === film.id)!,
    versions.filter((v) => v.masterId === film.id && titled.includes(v.placementId)).map((v) => v.id),
  );
  const phone = masters.find((m) => m.fileName.startsWith('Phone'));
  if (phone)
    await ask(z.unknown(), `/productions/${production.id}/versions`, 'POST', {
      masterId: phone.id,
      placementIds: ['kelpie-tall', 'hearthpost-story'],
    });
  return production.id;
}

const productionId = await fill(file);
if (productionId) await liven(ask, productionId, dirname(file));
