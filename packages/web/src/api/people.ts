import { useQuery, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import * as z from 'zod';
import {
  madeTokenSchema,
  meSchema,
  othersHereSchema,
  personLinkSchema,
  personSchema,
  proposedCodesSchema,
  secondFactorSchema,
  sessionSchema,
  spareCodesSchema,
  tokenSchema,
  type Role,
} from '@mivvy/api';
import { useChange } from './changes.ts';
import { getJson, remove, sendJson, tell, tellLast } from './client.ts';
import { keys } from './keys.ts';

/** Who sits here, and whether people sign in to this workspace at all. */
export const useMe = () =>
  useQuery({
    queryKey: keys.me,
    queryFn: ({ signal }) => getJson(meSchema, '/me', signal),
    staleTime: 60_000,
  });

/**
 * Comes in: by name and password, or by a one-time link with the password that is chosen. The page is loaded anew:
 * nothing of whoever sat here before is left in it.
 */
export const useComeIn = () =>
  useChange(
    (input: { name: string; password: string; code?: string } | { secret: string; password: string }) =>
      sendJson(meSchema, 'POST', 'secret' in input ? '/join' : '/sign-in', input),
    (_client, input) => {
      if ('secret' in input) window.location.replace('/');
      else window.location.reload();
    },
  );
export const useSignOut = () =>
  useChange(
    () => tell('/sign-out'),
    () => window.location.reload(),
  );
export const useNewPassword = () =>
  useChange(
    (input: { old: string; password: string }) => tell('/password', input),
    (client) => client.invalidateQueries({ queryKey: keys.sessions }),
  );

/** One's own second factor. */
export const useSecondFactor = () =>
  useQuery({
    queryKey: keys.secondFactor,
    queryFn: ({ signal }) => getJson(secondFactorSchema, '/second-factor', signal),
  });
const staleFactor = (client: QueryClient) =>
  Promise.all(
    [keys.secondFactor, keys.sessions, keys.people].map((queryKey) => client.invalidateQueries({ queryKey })),
  );
export const useProposeCodes = () =>
  useChange(
    (password: string) => sendJson(proposedCodesSchema, 'POST', '/second-factor', { password }),
    staleFactor,
  );
export const useTurnCodesOn = () =>
  useChange((code: string) => sendJson(spareCodesSchema, 'POST', '/second-factor/on', { code }), staleFactor);
export const useTurnCodesOff = () =>
  useChange((password: string) => tell('/second-factor/off', { password }), staleFactor);

export const usePeople = () =>
  useQuery({
    queryKey: keys.people,
    queryFn: ({ signal }) => getJson(z.array(personSchema), '/people', signal),
  });
export const useSessions = () =>
  useQuery({
    queryKey: keys.sessions,
    queryFn: ({ signal }) => getJson(z.array(sessionSchema), '/sessions', signal),
  });
export const useTokens = () =>
  useQuery({
    queryKey: keys.tokens,
    queryFn: ({ signal }) => getJson(z.array(tokenSchema), '/tokens', signal),
  });

const stalePeople = (client: QueryClient) =>
  Promise.all(
    [keys.people, keys.sessions, keys.tokens].map((queryKey) => client.invalidateQueries({ queryKey })),
  );
export const useAddPerson = () =>
  useChange(
    (input: { name: string; role: Role }) => sendJson(personLinkSchema, 'POST', '/people', input),
    stalePeople,
  );
export const useLinkAnew = () =>
  useChange((id: string) => sendJson(personLinkSchema, 'POST', `/people/${id}/link`), stalePeople);
export const useChangePerson = () =>
  useChange(
    ({ id, ...change }: { id: string; role: Role }) =>
      sendJson(personSchema, 'PATCH', `/people/${id}`, change),
    stalePeople,
  );
/** Lets somebody, a browser or a token go. */
export const useLetGo = () =>
  useChange(
    ({ kind, id }: { kind: 'people' | 'sessions' | 'tokens'; id: string }) => remove(`/${kind}/${id}`),
    stalePeople,
  );
export const useMakeToken = () =>
  useChange(
    (input: { name: string; role: Role; days: number; holder: 'script' | 'machine' }) =>
      sendJson(madeTokenSchema, 'POST', '/tokens', input),
    stalePeople,
  );

/** How often a window says that it is here, milliseconds. */
const sayEveryMs = 15_000;
/** Who else has a version open, by name. */
export function useOthersHere(versionId: string): string[] {
  useEffect(() => {
    // A window that closes says so, or it would be taken to be here for a while.
    const gone = () => void tellLast('/here', { versionId: null });
    window.addEventListener('pagehide', gone);
    return () => {
      window.removeEventListener('pagehide', gone);
      gone();
    };
  }, [versionId]);
  return (
    useQuery({
      queryKey: keys.here(versionId),
      queryFn: async () => (await sendJson(othersHereSchema, 'POST', '/here', { versionId })).others,
      refetchInterval: sayEveryMs,
      staleTime: 0,
      gcTime: 0,
    }).data ?? []
  );
}
