import { nanoid } from 'nanoid';
import type { CaptionTrack, EditedCue } from '@mivvy/core';
import { useLayers } from '../layers-session.tsx';

/** A cue without what is not known of it. */
const asKept = ({ sure, ...cue }: EditedCue): CaptionTrack['cues'][number] =>
  sure === undefined ? cue : { ...cue, sure };

/** The captions at hand, and a way to change them; they are made with the first change where there are none. */
export function useTrack(): [
  CaptionTrack | undefined,
  (next: (now: readonly EditedCue[]) => readonly EditedCue[]) => void,
] {
  const { dressing, trackId, change } = useLayers();
  const find = (all: readonly CaptionTrack[]) => all.find((t) => t.id === trackId) ?? all[0];
  const setCues = (next: (now: readonly EditedCue[]) => readonly EditedCue[]) =>
    change((now) => {
      const there = find(now.captions);
      const track = there ?? { id: nanoid(8), language: '', cues: [] };
      const changed = { ...track, cues: next(track.cues).map(asKept) };
      return {
        ...now,
        captions: there ? now.captions.map((t) => (t.id === there.id ? changed : t)) : [changed],
      };
    });
  return [find(dressing.captions), setCues];
}
