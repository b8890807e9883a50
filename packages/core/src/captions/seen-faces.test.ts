import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { keepAt } from '../checks/keeps.ts';
import type { ShotLook, Track } from '../subjects/look.ts';
import { facesSeen } from './seen-faces.ts';

const look = (tracks: Track[]): ShotLook => ({
  from: 0,
  to: 1000,
  camera: 'still',
  everythingMoves: false,
  tracks,
  overlays: [],
});
const track = (over: Partial<Track>): Track => ({
  id: 't1',
  kind: 'face',
  name: 'face',
  places: [{ at: 0, x: 0.4, y: 0.5, w: 0.1, h: 0.2, sure: 0.9 }],
  ...over,
});

describe('faces that captions make room for', () => {
  test('are faces, seen surely and large enough', () => {
    const [place] = track({}).places;
    const small = track({ id: 'far', places: [{ ...place!, h: 0.03 }] });
    const unsure = track({ id: 'unsure', places: [{ ...place!, sure: 0.2 }] });
    const person = track({ id: 'person', kind: 'person' });
    const faces = facesSeen([look([track({}), small, unsure, person])]);
    expect(faces).toEqual([
      { id: 't1', span: { from: 0, to: 1 }, keys: [{ at: 0, x: 0.4, y: 0.5, width: 0.1, height: 0.2 }] },
    ]);
  });

  test('are where they were seen, by as few keys as tell it', () => {
    const share = fc.double({ min: 0.05, max: 0.6, noNaN: true });
    const places = fc
      .array(fc.record({ gap: fc.integer({ min: 1, max: 12 }), x: share, y: share }), {
        minLength: 1,
        maxLength: 40,
      })
      .map((all) => {
        let at = 0;
        return all.map(({ gap, x, y }) => ({ at: (at += gap), x, y, w: 0.2, h: 0.3, sure: 0.8 }));
      });
    fc.assert(
      fc.property(places, (seen) => {
        const [face] = facesSeen([look([track({ places: seen })])]);
        expect(face!.span).toEqual({ from: seen[0]!.at, to: seen.at(-1)!.at + 1 });
        for (const place of seen) {
          const there = keepAt(face!, place.at);
          expect(Math.abs(there.x - place.x)).toBeLessThan(0.01);
          expect(Math.abs(there.y - place.y)).toBeLessThan(0.01);
        }
      }),
    );
    // One that stands still has two keys, however long it is seen.
    const still = Array.from({ length: 500 }, (_, i) => ({ ...track({}).places[0]!, at: i * 2 }));
    expect(facesSeen([look([track({ places: still })])])[0]!.keys.map((key) => key.at)).toEqual([0, 998]);
  });
});
