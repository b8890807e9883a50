import { nanoid } from 'nanoid';
import * as z from 'zod';
import type { Problem } from '@mivvy/core';
import { problemSchema } from '@mivvy/api';
import { unattended } from './attended.ts';
import { whoKey } from './who-key.ts';

/** A request that failed, with the server's own words. */
export class RequestProblem extends Error {
  constructor(
    readonly problem: Problem,
    readonly status: number,
  ) {
    super(problem.sentence);
    this.name = 'RequestProblem';
  }
}

/** This window's name for the server, so that it can tell events of its own changes from those of others. */
export const thisWindow = nanoid(12);

const unreachable: Problem = {
  code: 'unreachable',
  sentence: 'The server cannot be reached.',
  mend: 'Check that Mivvy is still running; this page goes on by itself when it is.',
};

/** Who sits here, as they signed last; a header holds plain letters only. */
function signed(): Record<string, string> {
  const who = localStorage.getItem(whoKey) ?? '';
  return who ? { 'X-Who': encodeURIComponent(who) } : {};
}

async function send(path: string, method: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  const answer = await fetch(`/api${path}`, {
    method,
    ...(signal ? { signal } : {}),
    headers: {
      'X-Window': thisWindow,
      ...signed(),
      ...unattended(),
      ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
    },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  }).catch((error: unknown) => {
    if ((error as Error).name === 'AbortError') throw error;
    throw new RequestProblem(unreachable, 0);
  });
  return told(answer);
}

/** An answer that is no problem; throws what it says if it is one. */
async function told(answer: Response): Promise<Response> {
  if (answer.ok) return answer;
  const problem = problemSchema.safeParse(await answer.json().catch(() => null));
  throw new RequestProblem(problem.success ? problem.data : unreachable, answer.status);
}

/** Asks the API and parses its answer. */
export async function getJson<S extends z.ZodType>(
  schema: S,
  path: string,
  signal?: AbortSignal,
): Promise<z.infer<S>> {
  return schema.parse(await (await send(path, 'GET', undefined, signal)).json());
}

/** Tells the API to do something and parses what it answers. */
export async function sendJson<S extends z.ZodType>(
  schema: S,
  method: 'POST' | 'PUT' | 'PATCH',
  path: string,
  body: unknown = {},
): Promise<z.infer<S>> {
  return schema.parse(await (await send(path, method, body)).json());
}

/** Tells the API to do something that answers nothing. */
export async function tell(path: string, body: unknown = {}): Promise<void> {
  await send(path, 'POST', body);
}

/** Tells the API something that is sent even while the page goes; nobody waits for its answer. */
export async function tellLast(path: string, body: unknown): Promise<void> {
  await fetch(`/api${path}`, {
    method: 'POST',
    keepalive: true,
    headers: { 'X-Window': thisWindow, 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  }).catch(() => undefined);
}

/** Sends a file's bytes and parses what the API answers. */
export async function sendFile<S extends z.ZodType>(
  schema: S,
  method: 'PUT' | 'POST',
  path: string,
  file: Blob,
  signal?: AbortSignal,
): Promise<z.infer<S>> {
  const answer = await fetch(`/api${path}`, {
    method,
    headers: { 'X-Window': thisWindow, 'Content-Type': 'application/octet-stream' },
    body: file,
    ...(signal ? { signal } : {}),
  }).catch(() => {
    throw new RequestProblem(unreachable, 0);
  });
  return schema.parse(await (await told(answer)).json());
}

/** Removes something. */
export async function remove(path: string): Promise<void> {
  await send(path, 'DELETE', undefined);
}

/** What went wrong, whatever was thrown. */
export function problemOf(error: unknown): Problem {
  if (error instanceof RequestProblem) return error.problem;
  if (error instanceof z.ZodError)
    return {
      code: 'unexpected-answer',
      sentence: 'The server answered in a way that this page does not understand.',
      mend: 'Reload the page; it may be from an older release.',
    };
  return {
    code: 'unexpected',
    sentence: 'Mivvy failed on this page; this is a fault in Mivvy.',
    mend: 'Reload it. Nothing on the server was changed.',
  };
}
