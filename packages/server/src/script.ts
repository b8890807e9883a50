import { fail, timeScript, type Cue, type MasterFacts, type Result } from '@mivvy/core';
import type { masters } from './db/schema.ts';
import { filmActivity } from './film-activity.ts';
import type { Workspace } from './workspace.ts';

/** Words that are spoken in a film laid along its speech, and what is worth saying about that. */
export async function scriptAlong(
  ws: Pick<Workspace, 'storage'>,
  master: typeof masters.$inferSelect & { facts: MasterFacts },
  text: string,
): Promise<Result<{ cues: Cue[]; words: string[] }>> {
  const { levels, speech } = await filmActivity(ws, master);
  if (!levels)
    return fail(
      'no-sound',
      'The film has no sound.',
      'Write the captions by hand, or bring in a caption file.',
    );
  const timed = timeScript(text, { levels, speech, rate: master.facts.video.rate });
  if (!timed.ok) return timed;
  const unsure = timed.value.filter(({ sure }) => sure < 0.5).length;
  return {
    ok: true,
    value: {
      cues: timed.value,
      words: [
        'The words were laid along the speech by their syllables and its pauses; they were not recognised.',
        ...(unsure ? [`${unsure} of ${timed.value.length} are not sure: have a look at their times.`] : []),
      ],
    },
  };
}
