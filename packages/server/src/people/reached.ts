import { networkInterfaces } from 'node:os';
import type { Access, SecondFactorRule } from './access.ts';

/** Addresses of this machine that nobody else reaches. */
export const isLoopback = (host: string): boolean =>
  host === 'localhost' || host === '::1' || /^127(\.\d{1,3}){3}$/.test(host);

/** An address as it stands in URLs and Host headers: IPv6 in brackets (RFC 3986, section 3.2.2). */
const inUrl = (host: string) => (host.includes(':') ? `[${host}]` : host);

const toAll = (host: string) => host === '0.0.0.0' || host === '::';

/** Addresses of this machine in its networks. */
const own = () =>
  Object.values(networkInterfaces())
    .flat()
    .flatMap((each) => (each && !each.internal ? [each] : []));

/** The address by which others reach this machine, where it listens to all. */
export function addressFor(host: string): string {
  if (!toAll(host)) return host;
  return own().find((each) => each.family === 'IPv4')?.address ?? '127.0.0.1';
}

/** How a workspace is reached, by what it was started with. People sign in wherever somebody else could reach it. */
export function accessOf(of: {
  host: string;
  port: number;
  /** It shows a certificate itself. */
  tls: boolean;
  /** How its address begins, where that is said. */
  address: string | undefined;
  /** People sign in on this machine too. */
  always: boolean;
  trustedProxies: readonly string[];
  secondFactor: SecondFactorRule;
  idleMinutes: number | null;
}): Access {
  const scheme = of.tls ? 'https' : 'http';
  const address = (of.address ?? `${scheme}://${inUrl(addressFor(of.host))}:${of.port}`).replace(/\/$/, '');
  const hosts = [
    ...(of.address ? [new URL(of.address).hostname] : []),
    ...(isLoopback(of.host) ? [] : [inUrl(of.host)]),
    ...(toAll(of.host) ? own().map((each) => inUrl(each.address)) : []),
  ];
  return {
    signIn: of.always || of.address !== undefined || !isLoopback(of.host),
    hosts: hosts.map((host) => host.toLowerCase()),
    secure: of.tls || address.startsWith('https:'),
    trustedProxies: of.trustedProxies,
    secondFactor: of.secondFactor,
    idleMinutes: of.idleMinutes,
    address,
  };
}
