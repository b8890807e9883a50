import { createChannel, createSession } from 'better-sse';
import type { Request, Response } from 'express';
import type { ServerEvent } from '@mivvy/api';

/** Tells every open browser what changed. */
export function openEvents() {
  const channel = createChannel();
  return {
    tell(event: ServerEvent): void {
      channel.broadcast(event, 'change');
    },
    async join(request: Request, response: Response): Promise<void> {
      channel.register(await createSession(request, response, { keepAlive: 10_000 }));
    },
  };
}
export type Events = ReturnType<typeof openEvents>;
