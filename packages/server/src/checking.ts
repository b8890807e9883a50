import type { CheckReport, Result } from '@mivvy/core';
import type { CheckOrder } from './awaited-checks.ts';
import type { Workspace } from './workspace.ts';

/** Whose version a file is held against, and what the file is called. */
interface AskedCheck {
  version: { id: string; productionId: string };
  name: string;
}

/**
 * Has a file held against a version by a job, which a render machine may do, and waits for the report. Once whoever asks
 * has left, the job is stopped.
 */
export async function checkedByJob(
  { db, runner, checks, log }: Workspace,
  { version, name }: AskedCheck,
  order: CheckOrder,
  gone: AbortSignal,
): Promise<Result<CheckReport>> {
  let answer: (report: Result<CheckReport>) => void = () => undefined;
  const report = new Promise<Result<CheckReport>>((resolve) => (answer = resolve));
  const job = await db.transaction(async (tx) => {
    const row = await runner.add(tx, {
      kind: 'check',
      productionId: version.productionId,
      subjectId: version.id,
      label: name,
      textless: order.plan.master.textless !== undefined,
    });
    // Before its row is seen: whoever takes it finds what it is done with.
    checks.await(row.id, order, answer);
    return row;
  });
  const leave = () =>
    void runner.cancel(job.id).catch((error: unknown) => log.warn({ err: error }, 'a check was not stopped'));
  gone.addEventListener('abort', leave, { once: true });
  try {
    runner.announce([job]);
    if (gone.aborted) leave();
    return await report;
  } finally {
    gone.removeEventListener('abort', leave);
    checks.leave(job.id);
  }
}
