import { lazy, Suspense, useState } from 'react';
import { useKey } from '../keys/use-key.ts';

const FinderLine = lazy(async () => ({ default: (await import('./finder-line.tsx')).FinderLine }));

/** The line that finds everything: loaded when it is first asked for. */
export function Finder() {
  const [isOpen, setOpen] = useState(false);
  useKey('Everywhere.find', () => setOpen(true));
  return <Suspense>{isOpen && <FinderLine onClose={() => setOpen(false)} />}</Suspense>;
}
