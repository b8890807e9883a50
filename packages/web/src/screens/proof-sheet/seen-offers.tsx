import { useSnackbar } from 'notistack';
import { countWords, frameToTimecode, problemLine, type Keep } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useMasterWork } from '../../api/changes.ts';
import { asKeep } from '../../parts/seen.tsx';
import { Stamp } from '../../parts/stamp.tsx';

/** Offers named one by one; of more than so many, all at once or on Masters. */
const mostNamed = 4;

/** Titles and logos that were found lying still over the picture, offered as keeps: all of them, or one at a time. */
export function SeenOffers({ master, offers }: { master: Master; offers: readonly Keep[] }) {
  const work = useMasterWork(master.id);
  const { enqueueSnackbar } = useSnackbar();
  if (offers.length === 0) return null;
  const change = (next: { keeps?: Keep[]; unimportant?: string[] }) =>
    work.mutate(
      { kind: 'work', revision: master.revision, ...next },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  const keep = (chosen: readonly Keep[]) => change({ keeps: [...master.keeps, ...chosen.map(asKeep)] });
  const { rate } = master.facts!.video;
  return (
    <section className="offers" aria-label={`Seen lying over ${master.name}`}>
      <Stamp shape="look">{countWords(offers.length, 'title or logo', 'titles or logos')} seen</Stamp>
      <ul>
        {offers.slice(0, mostNamed).map((offer) => (
          <li key={offer.id}>
            <span>
              {offer.name} at <span className="mono">{frameToTimecode(offer.span.from, rate)}</span>
            </span>
            <button className="fix tall" disabled={work.isPending} onClick={() => keep([offer])}>
              Keep it
            </button>
          </li>
        ))}
      </ul>
      <p className="acts">
        <button className="fix tall" disabled={work.isPending} onClick={() => keep(offers)}>
          {offers.length === 1 ? 'It must be seen' : `Keep all ${offers.length}`}
        </button>
        <button
          className="fix tall"
          disabled={work.isPending}
          onClick={() => change({ unimportant: [...master.unimportant, ...offers.map((o) => o.id)] })}
        >
          {offers.length === 1 ? 'It does not matter' : 'None matters'}
        </button>
      </p>
    </section>
  );
}
