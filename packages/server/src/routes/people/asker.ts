import type { Request } from 'express';
import { refuse } from '../../http/problems.ts';
import { askerOf } from '../../people/asked.ts';
import type { Asker } from '../../people/asker.ts';

/** Who asks; where nobody signs in there is nobody to be. */
export const asker = (req: Request): Asker =>
  askerOf(req) ??
  refuse(
    409,
    'no-sign-in',
    'Nobody signs in to this workspace: it is open to this machine alone.',
    'Start it with MIVVY_HOST or MIVVY_SIGN_IN to have people.',
  );
