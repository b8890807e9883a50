import { ThemeProvider } from '@mui/material/styles';
import { useEffect, useMemo, useState } from 'react';
import { createBrowserRouter, Outlet, RouterProvider } from 'react-router';
import { useServerEvents } from './api/queries.ts';
import { DiskNote } from './parts/disk-note.tsx';
import { KeysSheet } from './parts/keys-sheet.tsx';
import { Empty } from './parts/notices.tsx';
import { DeliverablesScreen } from './screens/deliverables/deliverables-screen.tsx';
import { ExportsScreen } from './screens/exports/exports-screen.tsx';
import { FramingScreen } from './screens/framing/framing-screen.tsx';
import { MastersScreen } from './screens/masters/masters-screen.tsx';
import { ProductionFrame } from './screens/production/production-frame.tsx';
import { ProductionsScreen } from './screens/productions/productions-screen.tsx';
import { ProofSheetScreen } from './screens/proof-sheet/proof-sheet-screen.tsx';
import { TimingScreen } from './screens/timing/timing-screen.tsx';
import { SpecBookScreen } from './screens/spec-book/spec-book-screen.tsx';
import { DeskContext } from './theme/use-desk-colour.ts';
import { deskTheme, type Desk } from './theme/theme.ts';

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <div className="desk"><Empty title="Something unexpected happened on this page.">Reload it; nothing on the server was changed.</Empty></div>,
    children: [
      { path: '/', element: <ProductionsScreen /> },
      { path: '/spec-book', element: <SpecBookScreen /> },
      {
        path: '/productions/:productionId',
        element: <ProductionFrame />,
        children: [
          { index: true, element: <ProofSheetScreen /> },
          { path: 'masters/:masterId?', element: <MastersScreen /> },
          { path: 'framing/:versionId?', element: <FramingScreen /> },
          { path: 'timing/:masterId?/:cutId?', element: <TimingScreen /> },
          { path: 'exports', element: <ExportsScreen /> },
          { path: 'deliverables/:versionId?', element: <DeliverablesScreen /> },
        ],
      },
      { path: '*', element: <div className="desk"><Empty title="There is nothing at this address." action={<a className="fix" href="/">All productions</a>} /></div> },
    ],
  },
]);

function Shell() {
  useServerEvents();
  return (
    <>
      <DiskNote />
      <Outlet />
      <KeysSheet />
    </>
  );
}

/** The whole interface: the desk's colour, the routes, and the connection to the server. */
export function App() {
  const [desk, setDesk] = useState<Desk>(() => (localStorage.getItem('mivvy.desk') === 'dark' ? 'dark' : 'light'));
  useEffect(() => {
    document.documentElement.dataset.desk = desk;
    localStorage.setItem('mivvy.desk', desk);
  }, [desk]);
  const theme = useMemo(() => deskTheme(desk), [desk]);
  return (
    <DeskContext value={{ desk, setDesk }}>
      <ThemeProvider theme={theme}>
        <RouterProvider router={router} />
      </ThemeProvider>
    </DeskContext>
  );
}
