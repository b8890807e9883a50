import { createReadStream } from 'node:fs';
import { appendFile, mkdir, readFile, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { FileStore } from '@tus/file-store';
import { Server } from '@tus/server';
import express, { type Request, type Response } from 'express';
import { nanoid } from 'nanoid';
import writeFileAtomic from 'write-file-atomic';
import * as z from 'zod';
import { placementSchema, type Placement } from '@mivvy/core';
import { probeMaster, sha256File } from '@mivvy/media';
import { serveHere } from '../http/listen.ts';
import { faultsSchema, noFaults, type Faults } from './faults.ts';
import { missingBeside, objection } from './outlet-rules.ts';

/** A film that an outlet has taken. */
const takenFilmSchema = z.object({
  receipt: z.string(),
  key: z.string(),
  outlet: z.string(),
  placement: z.string(),
  path: z.string(),
  sha256: z.string(),
  publishAt: z.string().nullable(),
  takenAt: z.number(),
  refused: z.string().nullable(),
  /** What came with it. */
  beside: z
    .array(z.object({ kind: z.enum(['captions', 'cover']), path: z.string(), sha256: z.string() }))
    .default([]),
});
type TakenFilm = z.infer<typeof takenFilmSchema>;

const filmRequestSchema = z.strictObject({
  upload: z.string().regex(/^[\w-]+$/),
  key: z.string().min(8).max(200),
  placement: z.string().max(120),
  publishAt: z.iso.datetime().nullable(),
  beside: z
    .array(
      z.strictObject({
        kind: z.enum(['captions', 'cover']),
        name: z.string().max(255),
        upload: z.string().regex(/^[\w-]+$/),
      }),
    )
    .max(2)
    .default([]),
});

/** Faults that are used up. */
type CountedFault = {
  [Name in keyof Faults]: Faults[Name] extends number ? Name : never;
}[Exclude<keyof Faults, 'lateMs' | 'bytesPerSecond'>];

/** A second answer to the same request, which nobody waits for. */
function sendAgain(req: Request, answer: object): void {
  const body = JSON.stringify(answer);
  const head = ['HTTP/1.1 200 OK', 'Content-Type: application/json', `Content-Length: ${body.length}`];
  req.socket.write(`${head.join('\r\n')}\r\n\r\n${body}`);
}

/** From taking a film to showing it an outlet needs so long, milliseconds. */
const processingMs = 1500;

/**
 * Stand-ins for outlets: small HTTP services that behave as an outlet's upload interface does. Each enforces rules of
 * its own, takes films by the open tus protocol, and can be told to fail in all the ways that outlets do.
 *
 * - `POST /{outlet}/uploads`, `PATCH`, `HEAD`: tus 1.0.
 * - `POST /{outlet}/films` `{upload, key, placement, publishAt, beside}`: takes an upload, and those of its captions and
 *   its cover; `{receipt, state, sha256, address, beside}`.
 * - `GET /{outlet}/films/{key}`: the same of a film that was taken; 404 where none was.
 * - `DELETE /{outlet}/films/{key}`: takes it down.
 * - `PUT /{outlet}/rules`: a placement that it holds films to from now on. `PUT /{outlet}/faults`: what it does wrong.
 */
export async function openStandIns(
  folder: string,
  rulesOf: (placementId: string) => Placement | undefined,
): Promise<{ base: string; films: () => readonly TakenFilm[]; close: () => Promise<void> }> {
  await mkdir(folder, { recursive: true });
  const list = join(folder, 'films.json');
  const films: TakenFilm[] = await readFile(list, 'utf8').then(
    (text) => z.array(takenFilmSchema).parse(JSON.parse(text)),
    () => [],
  );
  const keep = () => writeFileAtomic(list, JSON.stringify(films));
  const closing = new AbortController();
  const ownRules = new Map<string, Placement>();
  const faults = new Map<string, Faults>();
  const faultsOf = (outlet: string) => faults.get(outlet) ?? noFaults;
  /** Whether a fault that is counted happens now. */
  const happens = (outlet: string, name: CountedFault) => {
    const now = faultsOf(outlet);
    if (now[name] === 0) return false;
    faults.set(outlet, { ...now, [name]: now[name] - 1 });
    return true;
  };
  const stateOf = (film: TakenFilm) => {
    // A clock that was set back would keep it at that for as long.
    const age = Math.abs(Date.now() - film.takenAt);
    if (film.refused === null && age > processingMs && faultsOf(film.outlet).refuseAfterwards)
      film.refused = faultsOf(film.outlet).refuseAfterwards;
    if (film.refused !== null) return 'refused' as const;
    if (film.publishAt !== null && Date.parse(film.publishAt) > Date.now()) return 'scheduled' as const;
    return age > processingMs ? ('live' as const) : ('processing' as const);
  };
  const answerOf = (film: TakenFilm, base: string) => ({
    receipt: film.receipt,
    state: stateOf(film),
    sha256: film.sha256,
    reason: film.refused,
    beside: film.beside.map(({ kind, sha256 }) => ({ kind, sha256 })),
    address: stateOf(film) === 'live' ? `${base}/${film.outlet}/watch/${film.receipt}` : null,
  });
  const outletOf = (req: Request) => z.string().parse(req.params.outlet);
  const keyOf = (req: Request) => z.string().parse(req.params.key);

  const store = new FileStore({ directory: folder });
  const tus = new Server({
    path: '/uploads',
    datastore: store,
    // Below the outlet that it was begun at.
    generateUrl: (request, { id }) => `${new URL(request.url).pathname.replace(/\/$/, '')}/${id}`,
  });
  const app = express();
  app.disable('x-powered-by');

  app.all(['/:outlet/uploads', '/:outlet/uploads/:upload'], async (req: Request, res: Response) => {
    const outlet = outletOf(req);
    if (happens(outlet, 'tooMany')) return void res.set('Retry-After', '1').status(429).end();
    if (happens(outlet, 'failing')) return void res.status(503).end();
    if (req.method === 'PATCH' && happens(outlet, 'dropPieces')) {
      // Half of the piece comes in, then the line is dead.
      req.once('data', () => req.socket.destroy());
      return;
    }
    const { bytesPerSecond } = faultsOf(outlet);
    if (req.method === 'PATCH' && bytesPerSecond > 0)
      await pause((Number(req.headers['content-length'] ?? 0) / bytesPerSecond) * 1000);
    await tus.handle(req, res);
  });

  app.post('/:outlet/films', express.json(), async (req, res) => {
    const outlet = outletOf(req);
    if (happens(outlet, 'tooMany'))
      return void res.set('Retry-After', '1').status(429).json({ error: 'Slow down.' });
    if (happens(outlet, 'failing')) return void res.status(500).json({ error: 'Our fault. Try later.' });
    const wanted = filmRequestSchema.safeParse(req.body);
    if (!wanted.success) return void res.status(400).json({ error: 'We do not understand that.' });
    const { upload, key, placement, publishAt, beside } = wanted.data;
    const before = films.find((film) => film.outlet === outlet && film.key === key);
    if (before && !faultsOf(outlet).forgetKeys) return void res.json(answerOf(before, base));
    const path = join(folder, upload);
    const info = await stat(path).catch(() => null);
    if (!info) return void res.status(404).json({ error: 'We have no such upload.' });
    const facts = await probeMaster(path);
    if (!facts.ok) return void res.status(422).json({ error: 'That is no film.' });
    const rules = ownRules.get(placement) ?? rulesOf(placement);
    const against = objection(rules, facts.value, info.size) ?? missingBeside(rules, beside);
    if (against) return void res.status(422).json({ error: against });
    const besides: TakenFilm['beside'] = [];
    for (const each of beside) {
      const copy = join(folder, each.upload);
      const sha256 = await sha256File(copy).catch(() => null);
      if (sha256 === null) return void res.status(404).json({ error: 'We have no such upload.' });
      besides.push({ kind: each.kind, path: copy, sha256 });
    }
    if (happens(outlet, 'spoilCopies')) await appendFile(path, 'x');
    const film: TakenFilm = {
      receipt: nanoid(10),
      key,
      outlet,
      placement,
      path,
      sha256: await sha256File(path),
      publishAt,
      takenAt: Date.now(),
      refused: null,
      beside: besides,
    };
    films.push(film);
    await keep();
    if (happens(outlet, 'loseAnswers')) return void req.socket.destroy();
    // An outlet that is closed meanwhile answers nobody.
    const isOpen = await pause(faultsOf(outlet).lateMs, true, { signal: closing.signal }).catch(() => false);
    if (!isOpen) return;
    const answer = answerOf(film, base);
    if (happens(outlet, 'wrongSums')) return void res.json({ ...answer, sha256: '0'.repeat(64) });
    if (happens(outlet, 'answerTwice')) res.once('finish', () => sendAgain(req, answer));
    res.json(answer);
  });
  app.get('/:outlet/films/:key', (req, res) => {
    const film = films.findLast((each) => each.outlet === outletOf(req) && each.key === keyOf(req));
    if (!film) return void res.status(404).json({ error: 'We have no such film.' });
    res.json(answerOf(film, base));
  });
  app.delete('/:outlet/films/:key', async (req, res) => {
    const at = films.findIndex((each) => each.outlet === outletOf(req) && each.key === keyOf(req));
    if (at < 0) return void res.status(404).json({ error: 'We have no such film.' });
    const [film] = films.splice(at, 1);
    await keep();
    for (const { path } of [film!, ...film!.beside]) await rm(path, { force: true });
    res.status(204).end();
  });
  app.put('/:outlet/rules', express.json({ limit: '1mb' }), (req, res) => {
    const rules = placementSchema.safeParse(req.body);
    if (!rules.success) return void res.status(400).json({ error: 'We do not understand that.' });
    ownRules.set(rules.data.id, rules.data);
    res.status(204).end();
  });
  app.put('/:outlet/faults', express.json(), (req, res) => {
    const wrong = faultsSchema.safeParse(req.body);
    if (!wrong.success) return void res.status(400).json({ error: 'We do not understand that.' });
    faults.set(outletOf(req), wrong.data);
    res.status(204).end();
  });
  app.get('/:outlet/watch/:receipt', (req, res) => {
    const film = films.find((each) => each.receipt === req.params.receipt);
    if (!film || stateOf(film) !== 'live') return void res.status(404).type('text').send('Not here.');
    res.type('video/mp4');
    createReadStream(film.path).pipe(res);
  });

  const { base, close } = await serveHere(app);
  return {
    base,
    films: () => films,
    close: () => {
      closing.abort();
      return close();
    },
  };
}
