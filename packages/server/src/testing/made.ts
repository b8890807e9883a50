import { join } from 'node:path';
import * as z from 'zod';
import {
  inboxFileSchema,
  jobSchema,
  masterSchema,
  productionSchema,
  versionSchema,
  type Version,
} from '@mivvy/api';
import { heldFraming } from '@mivvy/core';
import { quickBook, smallFilm, until, type TestServer } from './server.ts';

/** A production with a film of one second and files made from it, on the server that `of` says: it may be another later. */
export async function madeProduction(
  of: TestServer | (() => TestServer),
  placementIds: readonly string[] = ['quick-tall', 'quick-square', 'quick-short'],
) {
  const now = typeof of === 'function' ? of : () => of;
  const s: Pick<TestServer, 'get' | 'call'> & { dir: string } = {
    dir: now().dir,
    get: (...asked) => now().get(...asked),
    call: (...asked) => now().call(...asked),
  };
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  await smallFilm(join(s.dir, 'inbox', 'film.mp4'), 1);
  const production = await s.get(productionSchema, 'POST', '/productions', {
    name: 'Kite',
    client: 'Harbour Trust',
  });
  const [film] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const master = await s.get(masterSchema, 'POST', `/productions/${production.id}/masters`, {
    inboxFile: film!.path,
  });
  await until(async () => (await s.get(masterSchema, 'GET', `/masters/${master.id}`)).state === 'ready');
  const made = await s.get(z.array(versionSchema), 'POST', `/productions/${production.id}/versions`, {
    masterId: master.id,
    placementIds,
  });
  const versionIds = made.map((version) => version.id);
  const versions = () => Promise.all(versionIds.map((id) => s.get(versionSchema, 'GET', `/versions/${id}`)));
  return {
    id: production.id,
    masterId: master.id,
    versionIds,
    versions,
    /** Exports some versions, and waits until their files are there. */
    async make(ids: readonly string[] = versionIds): Promise<Version[]> {
      await s.get(z.array(jobSchema), 'POST', `/productions/${production.id}/exports`, { versionIds: ids });
      return until(async () => {
        const now = await versions();
        return (
          now.filter((v) => ids.includes(v.id)).every((v) => v.deliverable && v.standing === 'passed') && now
        );
      });
    },
    /** Frames a version otherwise, so that its file is behind. */
    async reframe(id: string, x: number): Promise<Version> {
      const { revision } = await s.get(versionSchema, 'GET', `/versions/${id}`);
      return s.get(versionSchema, 'PATCH', `/versions/${id}`, {
        revision,
        framing: heldFraming({ x, y: 0.5, zoom: 1 }),
      });
    },
  };
}
export type MadeProduction = Awaited<ReturnType<typeof madeProduction>>;
