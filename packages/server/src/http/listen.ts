import { once } from 'node:events';
import type { AddressInfo, Server } from 'node:net';

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
  server.listen(wanted, host);
  try {
    await once(server, 'listening');
  } catch (error) {
    if (wanted === 0 || (error as NodeJS.ErrnoException).code !== 'EADDRINUSE') throw error;
    return listenAt(server, host, 0);
  }
  return (server.address() as AddressInfo).port;
}
