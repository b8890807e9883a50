import { fail, ok, type Difference, type Result } from '@mivvy/core';
import type { MatchOrderForMachine, MachineEnd } from '@mivvy/api';
import { keepMatch, matchOrder, type MatchOrder } from '../jobs/match.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { lying } from './lying.ts';
import { ownerOf, type MachineRow } from './machines.ts';

type Found = Extract<MachineEnd['ending'], { state: 'matched' }>['found'];

/** What two films are matched with on another machine. */
export async function matchFor(
  ws: Workspace,
  row: JobRow,
  { film, textless }: MatchOrder,
  base: string,
): Promise<MatchOrderForMachine> {
  const told = ({ path, sha256 }: typeof film, name: string) =>
    lying(ws, { path, sha256, address: `${base}/${name}` });
  return {
    kind: 'match',
    jobId: row.id,
    facts: film.facts,
    film: await told(film, 'film'),
    textless: { facts: textless.facts, film: await told(textless, 'textless') },
  };
}

/** Takes in how two films match: where they differ, or why they are not the same edit, which is an answer, too. */
export async function takeBackMatch(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  found: Found,
): Promise<boolean> {
  const ordered = await matchOrder(ws, row);
  if (ordered.ok && ordered.value) {
    const { code, sentence, mend } =
      'problem' in found ? found.problem : { code: '', sentence: '', mend: '' };
    const came: Result<Difference[]> = 'differs' in found ? ok(found.differs) : fail(code, sentence, mend);
    await keepMatch(ws, ordered.value.pair, came);
  }
  const ended = await ws.runner.end(row, ownerOf(machine), { state: 'done' });
  await tellProduction(ws, row.productionId);
  return ended !== undefined;
}
