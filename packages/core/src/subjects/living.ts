import type { Track } from './look.ts';

/** Kinds that the detector knows and that a film is rather about than about things. */
const living: ReadonlySet<Track['kind']> = new Set(['person', 'face', 'animal']);

/** A person, a face or an animal. */
export const isLiving = ({ kind }: Pick<Track, 'kind'>): boolean => living.has(kind);

/** It is known by what it is, not by its colour or its movement alone. */
export const isKnown = ({ kind }: Pick<Track, 'kind'>): boolean =>
  living.has(kind) || kind === 'vehicle' || kind === 'drawn';
