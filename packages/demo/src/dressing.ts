import { graphicViewSchema, masterSchema, type Master } from '@mivvy/api';
import { startStyles, type CaptionTrack, type Dressing, type Layer } from '@mivvy/core';
import { makeBurst } from './burst.ts';
import { filmCuts } from './framing.ts';
import type { Ask, SendFile } from './server.ts';

/** What is said in the film's shots, counted from 1: from and to in seconds of the shot, in two languages. */
const said: readonly [shot: number, from: number, to: number, en: string, de: string][] = [
  [2, 0.3, 2.7, 'We fly at eight, before the wind turns.', 'Wir fliegen um acht, bevor der Wind dreht.'],
  [
    3,
    0.3,
    2.8,
    'Not before the lamps are lit on the wall.',
    'Nicht, bevor auf der Mauer die Lampen brennen.',
  ],
  [
    5,
    0.4,
    3.4,
    'Every spar is cut by hand, and it takes a winter.',
    'Jede Leiste ist von Hand geschnitten; das dauert einen Winter.',
  ],
  [7, 0.2, 2.6, 'My father kept the wall, and now I do.', 'Mein Vater hat die Mauer gehütet, und jetzt ich.'],
  [9, 0.3, 2.6, 'See you on the sea wall!', 'Wir sehen uns auf der Hafenmauer!'],
];

const seconds = (shot: number, at: number) => Math.round((filmCuts[shot - 1]! / 25 + at) * 1000) / 1000;

/** The film's captions, in English and in German. */
export const filmCaptions: readonly CaptionTrack[] = (['en', 'de'] as const).map((language) => ({
  id: `captions-${language}`,
  language,
  cues: said.map(([shot, from, to, en, de]) => ({
    from: seconds(shot, from),
    to: seconds(shot, to),
    lines: [language === 'en' ? en : de],
  })),
}));

/** A lower third with the date: not where the film's own title is whole. */
function dateLine(versionsWithTitle: readonly string[]): Layer {
  return {
    id: 'date-line',
    name: 'Date line',
    what: {
      kind: 'words',
      text: '14–15 June, on the sea wall',
      style: { ...startStyles[0]!, name: 'harbour', size: 0.066 },
    },
    span: { from: filmCuts[9]! + 8, to: filmCuts[10]! - 4 },
    fadeIn: 0.3,
    fadeOut: 0.3,
    place: { anchor: 'bottom left', across: 0, down: 0, width: 0.9 },
    otherwise: Object.fromEntries(versionsWithTitle.map((id) => [id, { out: true as const }])),
  };
}

/** Lays captions, a lower third and a film on black over the demo's film. */
export async function dressFilm(
  ask: Ask,
  send: SendFile,
  master: Master,
  versionsWithTitle: readonly string[],
): Promise<void> {
  const burst = await send(graphicViewSchema, '/graphics?name=Kite%20burst.mkv', await makeBurst());
  const frames = master.facts!.video.frames;
  const from = filmCuts[11]! + 10;
  const dressing: Dressing = {
    layers: [
      dateLine(versionsWithTitle),
      {
        id: 'kite-burst',
        name: 'Kite burst',
        what: burst,
        span: { from, to: Math.min(frames, from + 60) },
        fadeIn: 0,
        fadeOut: 0.2,
        place: { anchor: 'top', across: 0, down: 0.04, width: 0.6 },
        otherwise: {},
      },
    ],
    captions: [...filmCaptions],
    draftMark: false,
  };
  await ask(masterSchema, `/masters/${master.id}/dressing`, 'PUT', {
    revision: master.dressingRevision,
    dressing,
  });
}
