import { checkAgainst } from '@mivvy/media';
import type { CheckOrderForMachine, MachineEnd } from '@mivvy/api';
import { withFiles, type Doing } from './doing.ts';

/** Holds a file that was made elsewhere against its plan: how it ended, in the server's terms. Throws `Cancelled`. */
export function checkMadeElsewhere(order: CheckOrderForMachine, doing: Doing): Promise<MachineEnd> {
  const { plan, placement, film, file } = order;
  const tell = (stage: string, fraction: number) =>
    doing.progress({ stage, fraction, etaSeconds: null, speed: 0 });
  tell('fetching the files', 0);
  return withFiles(doing, async (here) => {
    const against = { plan, placement, masterPath: await here(film) };
    const report = await checkAgainst(await here(file), against, {
      signal: doing.signal,
      nice: true,
      onProgress: (fraction) => tell('holding it against its version', fraction),
    });
    const ending = report.ok
      ? ({ state: 'checked', report: report.value } as const)
      : ({ state: 'failed', problem: report.problem } as const);
    return { ending, log: '' };
  });
}
