import { checkAgainst } from '@mivvy/media';
import type { CheckOrderForMachine, Lying, MachineEnd } from '@mivvy/api';
import { fileFor, type Doing } from './doing.ts';
import type { Cached } from './film-cache.ts';

/** Holds a file that was made elsewhere against its plan: how it ended, in the server's terms. Throws `Cancelled`. */
export async function checkMadeElsewhere(order: CheckOrderForMachine, doing: Doing): Promise<MachineEnd> {
  const { plan, placement } = order;
  const tell = (stage: string, fraction: number) =>
    doing.progress({ stage, fraction, etaSeconds: null, speed: 0 });
  const inUse: Cached[] = [];
  const here = async (what: Lying) => {
    const file = await fileFor(doing, what);
    inUse.push(file);
    return file.path;
  };
  tell('fetching the files', 0);
  try {
    const masterPath = await here(order.film);
    const report = await checkAgainst(
      await here(order.file),
      { plan, placement, masterPath },
      {
        signal: doing.signal,
        nice: true,
        onProgress: (fraction) => tell('holding it against its version', fraction),
      },
    );
    return {
      ending: report.ok
        ? { state: 'checked', report: report.value }
        : { state: 'failed', problem: report.problem },
      log: '',
    };
  } finally {
    for (const file of inUse) file.letGo();
  }
}
