import { planMaster } from '@mivvy/core';
import { lookAtFilm } from '@mivvy/media';
import type { LookOrderForMachine, MachineEnd } from '@mivvy/api';
import { fileFor, type Doing } from './doing.ts';

/** Looks at a film for subjects: how it ended, in the server's terms. Throws `Cancelled`. */
export async function lookAt(
  { film, facts, shots, detector }: LookOrderForMachine,
  doing: Doing,
): Promise<MachineEnd> {
  const { signal, progress } = doing;
  const tell = (stage: string, fraction: number) => progress({ stage, fraction, etaSeconds: null, speed: 0 });
  tell('fetching the film', 0);
  const { path, letGo } = await fileFor(doing, film);
  try {
    let looked = 0;
    const scan = await lookAtFilm(path, facts, planMaster(facts, film.sha256), shots, {
      signal,
      detector,
      onShot: ({ to }) =>
        tell(
          `looking for subjects, shot ${++looked} of ${shots.length}`,
          Math.min(1, to / facts.video.frames),
        ),
    });
    const ending: MachineEnd['ending'] = scan.ok
      ? { state: 'looked', scan: scan.value }
      : { state: 'failed', problem: scan.problem };
    return { ending, log: '' };
  } finally {
    letGo();
  }
}
