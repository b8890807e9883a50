import Button from '@mui/material/Button';
import { lazy, Suspense, useState } from 'react';

const NamesDialog = lazy(async () => ({ default: (await import('./names-dialog.tsx')).NamesDialog }));

/** How the production's files are called. */
export function Names() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Names</Button>
      <Suspense>{isOpen && <NamesDialog onClose={() => setOpen(false)} />}</Suspense>
    </>
  );
}
