import { parse as parseCookies } from 'cookie';
import type { RequestHandler } from 'express';
import type { Access } from '../people/access.ts';
import { entryCookie } from '../review/entry.ts';

const localHosts = new Set(['127.0.0.1', 'localhost', '[::1]']);

/** A Host or an origin's host is one that the workspace goes by. */
const isOurs = (host: string | undefined, hosts: readonly string[]): boolean => {
  const bare = host?.replace(/:\d+$/, '').toLowerCase();
  return bare !== undefined && (localHosts.has(bare) || hosts.includes(bare));
};

/** Refuses those who come by a review link: what is theirs is on the review surface, and nothing of it is here. */
export function guardWorkspace(): RequestHandler {
  return (request, response, next) => {
    if (parseCookies(request.headers.cookie ?? '')[entryCookie] === undefined) return next();
    response.status(403).json({
      code: 'review-session',
      sentence: 'A review link opens its own page only.',
      mend: 'Open that page again.',
    });
  };
}

/**
 * Refuses requests that another web page makes a browser send: those under a foreign Host (a name pointed at this
 * machine), those with a foreign Origin, and whatever comes from another site except a link that is followed here. Programs on this machine send neither and are let through.
 */
export function guardOrigin({ hosts }: Pick<Access, 'hosts'>): RequestHandler {
  return (request, response, next) => {
    const { host, origin } = request.headers;
    const originOk =
      origin === undefined ||
      (URL.canParse(origin) && isOurs(new URL(origin).host, hosts) && new URL(origin).host === host);
    const crossSite =
      request.headers['sec-fetch-site'] === 'cross-site' &&
      !(
        request.headers['sec-fetch-mode'] === 'navigate' &&
        (request.method === 'GET' || request.method === 'HEAD')
      );
    if (isOurs(host, hosts) && originOk && !crossSite) return next();
    response.status(403).json({
      code: 'foreign-request',
      sentence: 'This request came from another site and was refused.',
      mend: 'Open Mivvy at its own address.',
    });
  };
}
