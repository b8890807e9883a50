import type { Response } from 'express';

/** Sends a file, whole or by ranges; browsers that leave in the middle are no error. */
export function send(res: Response, path: string, headers: Record<string, string>): Promise<void> {
  return new Promise((resolve, reject) => {
    res.sendFile(
      path,
      { dotfiles: 'allow', headers, cacheControl: false },
      (error?: NodeJS.ErrnoException & { status?: number }) => {
        if (!error || error.code === 'ECONNABORTED' || error.code === 'EPIPE' || res.headersSent) resolve();
        else reject(error);
      },
    );
  });
}
