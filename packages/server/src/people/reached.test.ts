import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { networkInterfaces, tmpdir } from 'node:os';
import { join } from 'node:path';
import { execa } from 'execa';
import { generate } from 'selfsigned';
import { startProcess, startRefused } from '../testing/process.ts';
import { accessOf } from './reached.ts';

const started = {
  host: '127.0.0.1',
  port: 4600,
  tls: false,
  address: undefined,
  always: false,
  trustedProxies: [],
  secondFactor: 'own-choice' as const,
  idleMinutes: null,
};

describe('people sign in wherever somebody else could reach the workspace', () => {
  test.each([
    ['this machine alone', {}, false, 'http://127.0.0.1:4600'],
    ['this machine by name', { host: 'localhost' }, false, 'http://localhost:4600'],
    ['this machine by IPv6', { host: '::1' }, false, 'http://[::1]:4600'],
    ['this machine, where that is asked for', { always: true }, true, 'http://127.0.0.1:4600'],
    ['an address of a network', { host: '192.0.2.7' }, true, 'http://192.0.2.7:4600'],
    ['one of IPv6', { host: '2001:db8::7' }, true, 'http://[2001:db8::7]:4600'],
    ['with a certificate', { host: '192.0.2.7', tls: true }, true, 'https://192.0.2.7:4600'],
    ['behind a proxy on this machine', { address: 'https://mivvy.example/' }, true, 'https://mivvy.example'],
  ])('%s', (_how, over, signIn, address) => {
    const access = accessOf({ ...started, ...over });
    expect([access.signIn, access.address]).toEqual([signIn, address]);
    expect(access.secure).toBe(address.startsWith('https'));
  });

  test.each(['0.0.0.0', '::'])(
    '%s: every network, by every address of this machine and no other name',
    (host) => {
      const access = accessOf({ ...started, host });
      expect(access.signIn).toBe(true);
      const own = Object.values(networkInterfaces()).flat();
      for (const each of own)
        if (each && !each.internal && each.family === 'IPv4') expect(access.hosts).toContain(each.address);
      expect(access.hosts).not.toContain('mivvy.example');
    },
  );
});

describe('a server that is open', () => {
  let dir: string;
  let tls: { MIVVY_TLS_CERT: string; MIVVY_TLS_KEY: string };
  beforeAll(async () => {
    dir = await mkdtemp(join(tmpdir(), 'mivvy reached '));
    tls = { MIVVY_TLS_CERT: join(dir, 'cert.pem'), MIVVY_TLS_KEY: join(dir, 'key.pem') };
    const made = await generate([{ name: 'commonName', value: '127.0.0.1' }], {
      keySize: 2048,
      extensions: [
        { name: 'basicConstraints', cA: true },
        { name: 'subjectAltName', altNames: [{ type: 7, ip: '127.0.0.1' }] },
      ],
    });
    await writeFile(tls.MIVVY_TLS_CERT, made.cert);
    await writeFile(tls.MIVVY_TLS_KEY, made.private);
  });
  afterAll(() => rm(dir, { recursive: true, force: true }));

  test('shows its certificate, and nothing else to who has not signed in', async () => {
    const server = await startProcess(join(dir, 'open'), {
      ...tls,
      MIVVY_SIGN_IN: 'always',
      MIVVY_REVIEW_PORT: '0',
    });
    try {
      const { execPath } = process;
      // A client of its own, which trusts this certificate and no other.
      const ask = (path: string, ca: string) =>
        execa(
          execPath,
          [
            '-e',
            'fetch(process.argv[1]).then(async (a) => console.log(a.status, a.headers.get("strict-transport-security") !== null), (e) => console.log(e.cause.code))',
            `${server.base}${path}`,
          ],
          { env: { NODE_EXTRA_CA_CERTS: ca, NODE_OPTIONS: '' } },
        ).then(({ stdout }) => stdout);
      expect(await ask('/api/health', tls.MIVVY_TLS_CERT)).toBe('200 true');
      expect(await ask('/api/productions', tls.MIVVY_TLS_CERT)).toBe('401 true');
      expect(await ask('/api/health', '')).toMatch(/SELF_SIGNED/);
    } finally {
      await server.stop();
    }
  });

  test('half a certificate, or a wrong one, is told and nothing is begun', async () => {
    const half = await startRefused(join(dir, 'half'), { MIVVY_TLS_CERT: tls.MIVVY_TLS_CERT });
    expect([half.code, half.words]).toEqual([2, expect.stringContaining('belong together')]);
    const swapped = { MIVVY_TLS_CERT: tls.MIVVY_TLS_KEY, MIVVY_TLS_KEY: tls.MIVVY_TLS_CERT };
    const wrong = await startRefused(join(dir, 'wrong'), swapped);
    expect([wrong.code, wrong.words]).toEqual([2, expect.stringContaining('certificate cannot be used')]);
    const nowhere = await startRefused(join(dir, 'nowhere'), { MIVVY_HOST: '192.0.2.7' });
    expect([nowhere.code, nowhere.words]).toEqual([2, expect.stringContaining('no address of this machine')]);
  });
});
