import { useQuery } from '@tanstack/react-query';
import { fontFiles, type Shaper } from '@mivvy/core';

let shaper: Shaper | null = null;

/** Fetches the letters that ship and what sets them: the same files, by the same rules, as the server has. */
async function loadLetters(): Promise<Shaper> {
  if (shaper) return shaper;
  const [{ shaperOf }, files] = await Promise.all([
    import('@mivvy/core/letters'),
    Promise.all(
      fontFiles.map(async ({ name, family, weight }) => {
        const answer = await fetch(`/api/letters/${name}`);
        if (!answer.ok) throw new Error(`the letters ${name} cannot be fetched`);
        return { family, weight, bytes: new Uint8Array(await answer.arrayBuffer()) };
      }),
    ),
  ]);
  shaper = shaperOf(files);
  return shaper;
}

/** What sets text; null until it has been asked for and has come. */
export const lettersNow = (): Shaper | null => shaper;

/** Sees to it that text can be set, where that is wanted. */
export function useLetters(wanted: boolean) {
  return useQuery({
    queryKey: ['letters'],
    queryFn: loadLetters,
    enabled: wanted,
    staleTime: Infinity,
    gcTime: Infinity,
  });
}
