import type { Request } from 'express';
import type { Result } from '@mivvy/core';
import { queryText, refuse } from '../http/problems.ts';

/** A file that is the request's body, with its name; refuses the request where there is none. */
export function sentFile(req: Request, otherwise: string): { bytes: Buffer; name: string } {
  if (!Buffer.isBuffer(req.body) || req.body.length === 0)
    return refuse(400, 'bad-request', 'There is no file in the request.');
  return { bytes: req.body, name: (queryText(req, 'name') ?? otherwise).slice(0, 200) };
}

/** The value of what was read; refuses the request where it could not be. */
export function taken<T>(result: Result<T>): T {
  if (result.ok) return result.value;
  const { code, sentence, mend } = result.problem;
  return refuse(422, code, sentence, mend);
}
