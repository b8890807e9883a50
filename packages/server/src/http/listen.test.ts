import { afterEach, expect, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import { listenAt, serveHere } from './listen.ts';

const servers: Server[] = [];
const made = () => {
  const server = createServer();
  servers.push(server);
  return server;
};
afterEach(() => {
  for (const server of servers.splice(0)) server.close();
});

test('a port that is taken is left to who has it, and a free one is taken', async () => {
  const first = await listenAt(made(), '127.0.0.1', 0);
  const second = await listenAt(made(), '127.0.0.1', first);
  expect(second).not.toBe(first);
  expect(second).toBeGreaterThan(0);
});

test('a port that is free is the one', async () => {
  const server = createServer();
  const port = await listenAt(server, '127.0.0.1', 0);
  await new Promise((closed) => server.close(closed));
  expect(await listenAt(made(), '127.0.0.1', port)).toBe(port);
});

test('an address of another machine is refused', async () => {
  // RFC 5737: an address for documentation, which no machine has.
  await expect(listenAt(made(), '203.0.113.7', 0)).rejects.toMatchObject({ code: 'EADDRNOTAVAIL' });
});

test('a connection is kept longer than a client keeps one that it does not use', async () => {
  const { base, close } = await serveHere((_asked, answer) => void answer.end('here'));
  const answer = await fetch(base);
  expect(await answer.text()).toBe('here');
  // A client that goes by this lets go of a connection before the server does.
  expect(answer.headers.get('keep-alive')).toBe('timeout=90');
  await close();
  await expect(fetch(base)).rejects.toThrow();
});
