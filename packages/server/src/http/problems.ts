import type { ErrorRequestHandler, Request, RequestHandler, Response } from 'express';
import type * as z from 'zod';
import { faultLine, type Problem } from '@mivvy/core';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { askerOf } from '../people/asked.ts';
import { NotReplaced } from '../masters.ts';

/** An answer that is a problem: thrown by a route, written by {@link answerProblems}. */
export class HttpProblem extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.sentence);
    this.name = 'HttpProblem';
  }
}

/** Ends a request with a problem. */
export function refuse(status: number, code: string, sentence: string, mend = ''): never {
  throw new HttpProblem(status, { code, sentence, mend });
}

/** A request's body, parsed; refuses it with the first wrong field. */
export function bodyOf<S extends z.ZodType>(schema: S, request: Request): z.infer<S> {
  const parsed = schema.safeParse(request.body ?? {});
  if (parsed.success) return parsed.data;
  return refuse(400, 'bad-request', `${faultLine(parsed.error)}.`);
}

/** One named part of a request's address. */
export function param(request: Request, name = 'id'): string {
  const value = request.params[name];
  return typeof value === 'string' ? value : refuse(400, 'bad-request', 'The address is incomplete.');
}

/** Which window of a browser asks, by the name that it gave itself: an event of its own change is none of its business. */
export function windowOf(request: Request): string | null {
  const name = request.get('x-window');
  return name !== undefined && /^[\w-]{1,40}$/.test(name) ? name : null;
}

/** Who asks: the person who is signed in, else as they sign in their browser; empty where nobody has said. */
export function whoOf(request: Request): string {
  const asker = askerOf(request);
  if (asker) return asker.person.name;
  const name = request.get('x-who') ?? '';
  try {
    return decodeURIComponent(name).trim().slice(0, 60);
  } catch {
    return '';
  }
}

/** Who signs a change that names its author: the person who is signed in, else whoever it says. */
export const signedBy = (request: Request, said: string): string => askerOf(request)?.person.name ?? said;

/** Lets a route be an async function. Express 5 forwards what it throws. */
export function route(handler: (request: Request, response: Response) => Promise<unknown>): RequestHandler {
  return async (request, response) => {
    await handler(request, response);
  };
}

/** Writes whatever a route threw as a problem in words; never a stack trace. */
export function answerProblems(log: (error: unknown) => void): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) return next(error);
    if (error instanceof HttpProblem) return void response.status(error.status).json(error.problem);
    if (error instanceof NotReplaced) return void response.status(422).json(error.problem);
    const { status, code } = error as { status?: number; code?: string };
    if (status === 413)
      return void response.status(413).json({
        code: 'too-much',
        sentence: 'That is more than can be taken in one piece.',
        mend: 'Send less at once.',
      });
    if (status === 400)
      return void response
        .status(400)
        .json({ code: 'bad-request', sentence: 'The request was not understood.', mend: '' });
    if (status === 416)
      return void response
        .set((error as { headers?: Record<string, string> }).headers ?? {})
        .status(416)
        .json({
          code: 'bad-range',
          sentence: 'The file is shorter than the part that was asked for.',
          mend: '',
        });
    if (status !== undefined && status >= 400 && status < 500 && status !== 404)
      return void response
        .status(status)
        .json({ code: 'bad-request', sentence: 'The request was not understood.', mend: '' });
    if (code === 'ENOENT' || status === 404)
      return void response
        .status(404)
        .json({ code: 'not-found', sentence: 'That is not here any more.', mend: '' });
    log(error);
    if (isDiskFull(error)) return void response.status(507).json(diskFullProblem);
    response.status(500).json({
      code: 'unexpected',
      sentence: 'Mivvy failed while it answered this; this is a fault in Mivvy. Nothing was changed.',
      mend: 'Try again. If it fails again, the server’s log says why.',
    });
  };
}

/** A request's query in the shape of a schema; refuses what does not fit. */
export function queryOf<S extends z.ZodType>(schema: S, request: Request): z.infer<S> {
  const parsed = schema.safeParse(request.query);
  return parsed.success ? parsed.data : refuse(400, 'bad-request', `${faultLine(parsed.error)}.`);
}

/** A word of a request's query; undefined where it is not there once. */
export const queryText = (req: Request, name: string): string | undefined => {
  const value = req.query[name];
  return typeof value === 'string' ? value : undefined;
};
