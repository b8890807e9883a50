import { ok, type Result } from '@mivvy/core';
import { checkAgainst } from '@mivvy/media';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork } from './runner.ts';

type Ws = Pick<Workspace, 'checks'>;

/** Holds a file that was made elsewhere against a version. Running it again is harmless. */
export function checkWork(ws: Ws): JobKindWork {
  return {
    run: (context) => checkHere(ws, context),
    onEnd: (_tx, { id, problem }) => Promise.resolve(ws.checks.notChecked(id, problem)),
  };
}

async function checkHere(ws: Ws, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const order = ws.checks.orderOf(job.id);
  if (!order) return ok(undefined);
  const { file, ...against } = order;
  const stage = 'holding it against its version';
  progress({ stage, fraction: 0 });
  const report = await checkAgainst(file.path, against, {
    signal,
    nice: true,
    onProgress: (fraction) => progress({ stage, fraction }),
  });
  if (!report.ok) return report;
  ws.checks.answer(job.id, report);
  return ok(undefined);
}
