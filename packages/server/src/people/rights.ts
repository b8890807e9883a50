import type { Role } from '@mivvy/api';

/** What a request needs: nobody in particular, anybody who is signed in, or a role. */
export type Needed = 'nobody' | 'anybody' | Role;

interface Right {
  method: RegExp;
  path: RegExp;
  needed: Needed;
}

const looking = /^(GET|HEAD|OPTIONS)$/;
const any = /./;

/** The first that fits holds; addresses are those below `/api`. What is not named here is the last two. */
const rights: readonly Right[] = [
  { method: looking, path: /^\/(health|me)$/, needed: 'nobody' },
  { method: /^POST$/, path: /^\/(sign-in|join)$/, needed: 'nobody' },
  { method: /^POST$/, path: /^\/(sign-out|password|here)$/, needed: 'anybody' },
  { method: any, path: /^\/second-factor(\/|$)/, needed: 'anybody' },
  { method: any, path: /^\/(sessions|tokens)(\/|$)/, needed: 'anybody' },
  { method: any, path: /^\/people(\/|$)/, needed: 'runs' },
  { method: /^POST$/, path: /^\/room\/clear$/, needed: 'runs' },
  { method: /^(PATCH|DELETE)$/, path: /^\/machines\/[^/]+$/, needed: 'runs' },
  { method: looking, path: any, needed: 'looks' },
  { method: any, path: any, needed: 'works' },
];

/** Addresses that render machines need, below `/api`. */
const ofMachines = /^\/(health|machines\/(join|results(\/[^/]+)?|[^/]+\/(beat|take|jobs\/.+)))$/;

/** Whether a render machine's token opens an address. */
export const isForMachines = (path: string): boolean =>
  ofMachines.test(path.toLowerCase().replace(/\/+$/, ''));

/** Whether an address opens to somebody who has yet to set up a second factor that is asked for. */
export const isForSettingUp = (path: string): boolean =>
  /^\/(me|sign-out|second-factor(\/on)?)$/.test(path.toLowerCase().replace(/\/+$/, ''));

/** What a request needs, by its method and its address below `/api`. */
export function neededFor(method: string, path: string): Needed {
  // A slash at the end, capitals: the router takes them as the same address.
  const plain = path.toLowerCase().replace(/\/+$/, '') || '/';
  return rights.find((right) => right.method.test(method) && right.path.test(plain))!.needed;
}
