import { matchTextless } from '@mivvy/media';
import type { MachineEnd, MatchOrderForMachine } from '@mivvy/api';
import { withFiles, type Doing } from './doing.ts';

/** Matches a film with its textless master: how it ended, in the server's terms. Throws `Cancelled`. */
export function matchFilms(order: MatchOrderForMachine, doing: Doing): Promise<MachineEnd> {
  const tell = (stage: string, fraction: number) =>
    doing.progress({ stage, fraction, etaSeconds: null, speed: 0 });
  tell('fetching the films', 0);
  return withFiles(doing, async (here) => {
    const read = async ({ facts, film }: Pick<MatchOrderForMachine, 'facts' | 'film'>) => ({
      path: await here(film),
      facts,
      sha256: film.sha256,
    });
    const found = await matchTextless(await read(order), await read(order.textless), {
      signal: doing.signal,
      onFraction: (fraction) => tell('matching it with its film', fraction),
    });
    return {
      ending: {
        state: 'matched',
        found: found.ok ? { differs: found.value } : { problem: found.problem },
      },
      log: '',
    };
  });
}
