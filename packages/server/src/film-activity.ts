import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import writeFileAtomic from 'write-file-atomic';
import {
  fps,
  frameSpanSchema,
  oneShot,
  shotSpans,
  thumbBytes,
  plainDifference,
  type FrameSpan,
  type MasterFacts,
} from '@mivvy/core';
import type { FilmActivity } from '@mivvy/api';
import { listenAlong } from '@mivvy/media';
import { readThumbnails } from './analysis.ts';
import type { masters } from './db/schema.ts';
import { refuse } from './http/problems.ts';
import { fromStored } from './storage.ts';
import type { Workspace } from './workspace.ts';

const storedSchema = z.object({
  version: z.literal(2),
  levels: z.array(z.number().int()).nullable(),
  silences: z.array(frameSpanSchema),
  speech: z.array(frameSpanSchema),
});
type Heard = Omit<z.infer<typeof storedSchema>, 'version'>;

/** Films that are being listened to now: whoever asks meanwhile waits for the same answer. */
const listening = new Map<string, Promise<Heard>>();

/** What is heard along a film; listened to once for the same bytes. */
async function heardIn(
  ws: Pick<Workspace, 'storage'>,
  row: typeof masters.$inferSelect & { facts: MasterFacts },
): Promise<Heard> {
  if (!row.facts.audio) return { levels: null, silences: [], speech: [] };
  const path = row.sha256 === null ? null : join(ws.storage.analysis, `${row.sha256}.heard.json`);
  const text = path && (await readFile(path, 'utf8').catch(() => null));
  if (text) {
    const stored = storedSchema.safeParse(JSON.parse(text));
    if (stored.success) return stored.data;
  }
  const film = fromStored(ws.storage, row.path);
  const running = listening.get(film);
  if (running) return running;
  const work = listen(film, row.facts, path).finally(() => listening.delete(film));
  listening.set(film, work);
  return work;
}

async function listen(film: string, facts: MasterFacts, keptIn: string | null): Promise<Heard> {
  const heard = await listenAlong(film, facts);
  if (!heard.ok) return refuse(500, heard.problem.code, heard.problem.sentence, heard.problem.mend);
  if (keptIn) {
    await writeFileAtomic(keptIn, JSON.stringify({ version: 2, ...heard.value }));
  }
  return heard.value;
}

/** Differences of small pictures a second apart at which as much goes on as in the liveliest shots. */
const lively = 18;

/** What is heard and seen along a master. */
export async function filmActivity(
  ws: Pick<Workspace, 'storage'>,
  row: typeof masters.$inferSelect & { facts: MasterFacts },
): Promise<FilmActivity> {
  const { frames, rate } = row.facts.video;
  const shots = row.shots ?? oneShot;
  const spans = shotSpans(shots, frames);
  const looks = await readThumbnails(ws.storage, row.sha256);
  const thumbs = (span: FrameSpan) => {
    if (!looks) return [];
    const [first, last] = [Math.ceil(span.from / looks.every), Math.floor((span.to - 1) / looks.every)];
    return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) =>
      looks.data.subarray((first + i) * thumbBytes, (first + i + 1) * thumbBytes),
    ).filter((t) => t.length === thumbBytes);
  };
  const perSecond = looks ? fps(rate) / looks.every : 1;
  return {
    masterId: row.id,
    ...(await heardIn(ws, row)),
    shots: spans.map((span, i) => {
      const seen = thumbs(span);
      let change = 0;
      for (let k = 1; k < seen.length; k++) change += plainDifference(seen[k - 1]!, seen[k]!);
      const interest =
        seen.length > 1 ? Math.min(1, ((change / (seen.length - 1)) * perSecond) / lively) : 0.5;
      // The same camera on the same thing again, with nothing in it that was not there before.
      const earlier = spans.findIndex(
        (other, j) =>
          j < i &&
          shots[j]!.setup === shots[i]!.setup &&
          thumbs(other)[0] !== undefined &&
          seen[0] !== undefined &&
          plainDifference(thumbs(other)[0]!, seen[0]) < 6,
      );
      return {
        ...span,
        interest: Math.round(interest * 100) / 100,
        ...(earlier >= 0 ? { repeats: earlier } : {}),
      };
    }),
  };
}
