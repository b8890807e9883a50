import type { Role } from '@mivvy/api';

/** What each role is called, and what it may. */
export const roleWords: Readonly<Record<Role, { name: string; more: string }>> = {
  runs: { name: 'runs everything', more: 'the work, and who else comes in' },
  works: { name: 'works', more: 'everything but who comes in' },
  looks: { name: 'looks only', more: 'sees and fetches, changes nothing' },
};
