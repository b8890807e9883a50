import type { Request } from 'express';
import type { Asker } from './asker.ts';

const askers = new WeakMap<Request, Asker>();

/** Writes down who asks, for whatever answers the request. */
export const askedBy = (request: Request, asker: Asker): void => void askers.set(request, asker);

/** Who asks; undefined where nobody signs in. */
export const askerOf = (request: Request): Asker | undefined => askers.get(request);
