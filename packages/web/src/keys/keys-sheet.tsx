import { lazy, Suspense, useState } from 'react';
import { useKey } from './use-key.ts';

const KeysList = lazy(async () => ({ default: (await import('./keys-list.tsx')).KeysList }));

/** The list of keys, opened with “?” from anywhere; it is loaded then. */
export function KeysSheet() {
  const [open, setOpen] = useState(false);
  useKey('Everywhere.keys', () => setOpen((was) => !was));
  return <Suspense>{open && <KeysList onClose={() => setOpen(false)} />}</Suspense>;
}
