import { once } from 'node:events';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/**
 * Longer than any client keeps a connection that it does not use, in milliseconds: one that is closed in the moment in
 * which it is used again fails a request.
 */
const keepAliveTimeout = 90_000;

/**
 * Listens at a port, or at a free one where it is taken.
 *
 * The port is held from then on; one that was only found to be free may be somebody else's by the time it is used.
 *
 * @param wanted 0 for any
 * @returns the port
 * @throws where `host` is no address of this machine, or the port is one that this process may not have
 */
export async function listenAt(server: Server, host: string, wanted: number): Promise<number> {
  server.keepAliveTimeout = keepAliveTimeout;
  server.listen(wanted, host);
  try {
    await once(server, 'listening');
  } catch (error) {
    if (wanted === 0 || (error as NodeJS.ErrnoException).code !== 'EADDRINUSE') throw error;
    return listenAt(server, host, 0);
  }
  return (server.address() as AddressInfo).port;
}

/** An app that this machine alone reaches, until it is closed. */
export interface ServedHere {
  /** How its addresses begin. */
  base: string;
  /** Ends its connections, those in use too. */
  close(): Promise<void>;
}

/** Serves an app at a free port of this machine. */
export async function serveHere(app: RequestListener): Promise<ServedHere> {
  const server = createServer(app);
  const port = await listenAt(server, '127.0.0.1', 0);
  return {
    base: `http://127.0.0.1:${port}`,
    close: () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  };
}
