import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { fontFiles, type Shaper } from '@mivvy/core';
import type { FaceFile } from '@mivvy/core/letters';
import { keys } from '../api/keys.ts';

let shaper: Shaper | null = null;
/** A typeface has come that it was made without. */
let outdated = false;

const bytesAt = async (address: string): Promise<Uint8Array> => {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error(`the letters ${address} cannot be fetched`);
  return new Uint8Array(await answer.arrayBuffer());
};

/** Typefaces of the workspace's own, by their sums; null for one that is on its way, or could not be fetched. */
const ownFiles = new Map<string, Uint8Array | null>();
/** Told when one has come. */
const listeners = new Set<() => void>();

/** One of them; it is fetched when it is first asked for, and until it comes others draw its letters. */
function ownFile(sha256: string): Uint8Array | undefined {
  const there = ownFiles.get(sha256);
  if (there === undefined) {
    ownFiles.set(sha256, null);
    void bytesAt(`/api/typefaces/${sha256}`).then(
      (bytes) => {
        ownFiles.set(sha256, bytes);
        outdated = true;
        listeners.forEach((tell) => tell());
      },
      () => undefined,
    );
  }
  return there ?? undefined;
}

let shippedFiles: FaceFile[] | undefined;

/** Fetches the letters that ship and what sets them: the same files, by the same rules, as the server has. */
async function loadLetters(): Promise<Shaper> {
  if (shaper && !outdated) return shaper;
  outdated = false;
  const { shaperOf } = await import('@mivvy/core/letters');
  shippedFiles ??= await Promise.all(
    fontFiles.map(async ({ name, family, weight }) => ({
      family,
      weight,
      bytes: await bytesAt(`/api/letters/${name}`),
    })),
  );
  // Another one each time, so that whatever was set without a typeface is set again.
  shaper = shaperOf(shippedFiles, ownFile);
  return shaper;
}

/** What sets text; null until it has been asked for and has come. */
export const lettersNow = (): Shaper | null => shaper;

/** Sees to it that text can be set, where that is wanted. */
export function useLetters(wanted: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    const again = () => void client.invalidateQueries({ queryKey: keys.letters });
    listeners.add(again);
    return () => void listeners.delete(again);
  }, [client]);
  return useQuery({
    queryKey: keys.letters,
    queryFn: loadLetters,
    enabled: wanted,
    staleTime: Infinity,
    gcTime: Infinity,
    // Two shapers are never the same thing, whatever they hold.
    structuralSharing: false,
  });
}
