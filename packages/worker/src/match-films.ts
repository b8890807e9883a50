import { matchTextless } from '@mivvy/media';
import type { MachineEnd, MatchOrderForMachine } from '@mivvy/api';
import { fileFor, type Doing } from './doing.ts';
import type { Cached } from './film-cache.ts';

/** Matches a film with its textless master: how it ended, in the server's terms. Throws `Cancelled`. */
export async function matchFilms(order: MatchOrderForMachine, doing: Doing): Promise<MachineEnd> {
  const tell = (stage: string, fraction: number) =>
    doing.progress({ stage, fraction, etaSeconds: null, speed: 0 });
  const inUse: Cached[] = [];
  const here = async ({ facts, film }: Pick<MatchOrderForMachine, 'facts' | 'film'>) => {
    const file = await fileFor(doing, film);
    inUse.push(file);
    return { path: file.path, facts, sha256: film.sha256 };
  };
  tell('fetching the films', 0);
  try {
    const found = await matchTextless(await here(order), await here(order.textless), {
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
  } finally {
    for (const file of inUse) file.letGo();
  }
}
