import { reviewPageSchema, problemSchema, type ReviewPage } from '@mivvy/api';
import type { Problem } from '@mivvy/core';

/** Something that was asked for and not given, with the server's words. */
export class Refused extends Error {
  constructor(
    readonly problem: Problem,
    readonly status: number,
  ) {
    super(problem.sentence);
    this.name = 'Refused';
  }
}

const unreachable: Problem = {
  code: 'unreachable',
  sentence: 'The films cannot be reached just now.',
  mend: 'Look whether you are connected, then try again.',
};

async function send(path: string, body?: unknown): Promise<Response> {
  const answer = await fetch(`/api/review/${path}`, {
    ...(body === undefined
      ? {}
      : { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
  }).catch(() => {
    throw new Refused(unreachable, 0);
  });
  if (answer.ok) return answer;
  const problem = problemSchema.safeParse(await answer.json().catch(() => null));
  throw new Refused(problem.success ? problem.data : unreachable, answer.status);
}

const pageOf = async (answer: Response): Promise<ReviewPage> => reviewPageSchema.parse(await answer.json());

export const loadPage = async (secret: string) => pageOf(await send(secret));
export const enter = async (secret: string, password: string) =>
  void (await send(`${secret}/enter`, { password }));
export const answer = async (
  secret: string,
  said: {
    deliverableId: string;
    sha256: string;
    answer: 'approved' | 'changes-asked' | 'withdrawn';
    by: string;
  },
) => pageOf(await send(`${secret}/answers`, said));
export const note = async (
  secret: string,
  said: {
    deliverableId: string;
    sha256: string;
    answers?: string;
    frame: number;
    x: number | null;
    y: number | null;
    words: string;
    by: string;
  },
) => pageOf(await send(`${secret}/notes`, said));
export const fileUrl = (secret: string, id: string, keep = false) =>
  `/api/review/${secret}/files/${id}${keep ? '?keep=1' : ''}`;
