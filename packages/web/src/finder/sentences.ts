import type { ProductionCard, ProductionDetail } from '@mivvy/api';
import { versionName } from '../parts/versions.ts';
import { stageWord } from '../parts/stamp.tsx';

/** What the finder offers: a sentence of what would happen, and where it leads. */
export interface Offer {
  id: string;
  sentence: string;
  /** Other words by which it is found. */
  words?: readonly string[];
  to: string;
}

/** The screens of a production, with what one does there. */
const stops = [
  ['', 'See all versions of', ['proof sheet']],
  ['/masters', 'Look at the masters of', ['films', 'facts', 'keeps', 'shots']],
  ['/framing', 'Frame', ['crop', 'window', 'follow']],
  ['/timing', 'Cut and pace', ['cutdown', 'trim', 'speed']],
  ['/exports', 'Make the files of', ['export', 'encode', 'queue', 'render']],
  ['/deliverables', 'Open the ledger of', ['due', 'approve', 'review', 'names', 'report']],
  ['/deliverables?as=board', 'See as a board the deliverables of', ['standing']],
  ['/deliverables?as=calendar', 'See as a calendar what is due of', ['dates', 'days']],
  ['/dispatch', 'Hand over the files of', ['send', 'upload', 'package', 'zip', 'receipt']],
] as const;

const ofProduction = ({ id, name, client }: { id: string; name: string; client: string }): Offer[] =>
  stops.map(([path, does, words]) => ({
    id: `${id}${path}`,
    sentence: `${does} “${name}”.`,
    words: [...words, client],
    to: `/productions/${id}${path}`,
  }));

/** Everything that the finder can offer where one is. */
export function offers(
  productions: readonly ProductionCard[],
  here: ProductionDetail | undefined,
): { group: string; offers: Offer[] }[] {
  const versions = (here?.versions ?? []).flatMap((version): Offer[] => {
    const master = here!.masters.find((m) => m.id === version.masterId)?.name ?? '';
    const name = versionName(version);
    return [
      {
        id: `frame ${version.id}`,
        sentence: `Frame ${name} of “${master}”.`,
        words: [version.tag, version.placementId],
        to: `/productions/${here!.id}/framing/${version.id}`,
      },
      {
        id: `ledger ${version.id}`,
        sentence: `Look at the files of ${name} of “${master}”: ${stageWord(version.stage).toLowerCase()}.`,
        words: [version.tag, version.placementId, version.holder],
        to: `/productions/${here!.id}/deliverables/${version.id}`,
      },
    ];
  });
  const others = productions.filter((production) => production.id !== here?.id);
  return [
    { group: 'Here', offers: here ? [...ofProduction(here), ...versions] : [] },
    {
      group: 'Everywhere',
      offers: [
        { id: 'home', sentence: 'See all productions.', words: ['home', 'start'], to: '/' },
        {
          id: 'ledger',
          sentence: 'Search all deliverables.',
          words: ['ledger', 'due', 'late'],
          to: '/ledger',
        },
        {
          id: 'ledger board',
          sentence: 'See all deliverables as a board.',
          words: ['standing', 'ledger'],
          to: '/ledger?as=board',
        },
        {
          id: 'ledger calendar',
          sentence: 'See all deliverables as a calendar.',
          words: ['due', 'dates', 'days', 'ledger'],
          to: '/ledger?as=calendar',
        },
        {
          id: 'book',
          sentence: 'Open the spec book.',
          words: ['places', 'outlets', 'numbers'],
          to: '/spec-book',
        },
        {
          id: 'machines',
          sentence: 'See what makes the files.',
          words: ['machines', 'render', 'worker', 'queue'],
          to: '/machines',
        },
      ],
    },
    { group: 'Other productions', offers: others.flatMap(ofProduction) },
  ].filter((group) => group.offers.length > 0);
}
