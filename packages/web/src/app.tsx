import { ThemeProvider } from '@mui/material/styles';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { createBrowserRouter, Outlet, RouterProvider } from 'react-router';
import { useServerEvents } from './api/events.ts';
import { keys } from './api/keys.ts';
import { useMe } from './api/people.ts';
import { DiskNote } from './parts/disk-note.tsx';
import { Finder } from './finder/finder.tsx';
import { KeysSheet } from './keys/keys-sheet.tsx';
import { Empty } from './parts/notices.tsx';
import { ProductionsScreen } from './screens/productions/productions-screen.tsx';
import { DeskContext } from './theme/use-desk-colour.ts';
import { deskTheme, type Desk } from './theme/theme.ts';

/** Screens are loaded when they are opened; the first page needs only itself. */
const router = createBrowserRouter([
  {
    element: <Shell />,
    hydrateFallbackElement: <div className="desk" aria-busy="true" />,
    errorElement: (
      <div className="desk">
        <Empty title="Mivvy failed on this page; this is a fault in Mivvy.">
          Reload it. Nothing on the server was changed.
        </Empty>
      </div>
    ),
    children: [
      { path: '/', element: <ProductionsScreen /> },
      {
        path: '/spec-book/:placementId?',
        lazy: async () => ({
          Component: (await import('./screens/spec-book/spec-book-screen.tsx')).SpecBookScreen,
        }),
      },
      {
        path: '/people',
        lazy: async () => ({
          Component: (await import('./screens/people/people-screen.tsx')).PeopleScreen,
        }),
      },
      {
        path: '/machines',
        lazy: async () => ({
          Component: (await import('./screens/machines/machines-screen.tsx')).MachinesScreen,
        }),
      },
      {
        path: '/join',
        lazy: async () => ({
          Component: (await import('./screens/people/sign-in-screen.tsx')).SignInScreen,
        }),
      },
      {
        path: '/ledger',
        lazy: async () => ({
          Component: (await import('./screens/ledger/ledger-screen.tsx')).LedgerScreen,
        }),
      },
      {
        path: '/productions/:productionId',
        lazy: async () => ({
          Component: (await import('./screens/production/production-frame.tsx')).ProductionFrame,
        }),
        children: [
          {
            index: true,
            lazy: async () => ({
              Component: (await import('./screens/proof-sheet/proof-sheet-screen.tsx')).ProofSheetScreen,
            }),
          },
          {
            path: 'masters/:masterId?',
            lazy: async () => ({
              Component: (await import('./screens/masters/masters-screen.tsx')).MastersScreen,
            }),
          },
          {
            path: 'framing/:versionId?',
            lazy: async () => ({
              Component: (await import('./screens/framing/framing-screen.tsx')).FramingScreen,
            }),
          },
          {
            path: 'timing/:masterId?/:cutId?',
            lazy: async () => ({
              Component: (await import('./screens/timing/timing-screen.tsx')).TimingScreen,
            }),
          },
          {
            path: 'layers/:versionId?/:folding?',
            lazy: async () => ({
              Component: (await import('./screens/layers/layers-screen.tsx')).LayersScreen,
            }),
          },
          {
            path: 'exports',
            lazy: async () => ({
              Component: (await import('./screens/exports/exports-screen.tsx')).ExportsScreen,
            }),
          },
          {
            path: 'deliverables/:versionId?',
            lazy: async () => ({
              Component: (await import('./screens/deliverables/deliverables-screen.tsx')).DeliverablesScreen,
            }),
          },
          {
            path: 'dispatch',
            lazy: async () => ({
              Component: (await import('./screens/dispatch/dispatch-screen.tsx')).DispatchScreen,
            }),
          },
        ],
      },
      {
        path: '*',
        element: (
          <div className="desk">
            <Empty
              title="There is nothing at this address."
              action={
                <a className="fix" href="/">
                  All productions
                </a>
              }
            />
          </div>
        ),
      },
    ],
  },
]);

const SignInScreen = lazy(async () => ({
  default: (await import('./screens/people/sign-in-screen.tsx')).SignInScreen,
}));

const SetUpScreen = lazy(async () => ({
  default: (await import('./screens/people/set-up-screen.tsx')).SetUpScreen,
}));

/** The way in where people sign in, and everything behind it. */
function Shell() {
  const me = useMe().data;
  const client = useQueryClient();
  // Once begun it stays until it is left: its spare codes are told once.
  const [settingUp, setSettingUp] = useState(false);
  if (me?.mustSetUpCodes && !settingUp) setSettingUp(true);
  const goIn = async () => {
    await client.invalidateQueries({ queryKey: keys.me });
    setSettingUp(false);
  };
  // The desk stands while it is asked who sits here: what was dropped on it meanwhile is not lost.
  if (!me?.signIn || (me.person && !settingUp)) return <Desk />;
  return (
    <Suspense fallback={<div className="desk" aria-busy="true" />}>
      {me.person ? <SetUpScreen onDone={() => void goIn()} /> : <SignInScreen />}
    </Suspense>
  );
}

function Desk() {
  useServerEvents();
  return (
    <>
      <DiskNote />
      <Outlet />
      <KeysSheet />
      <Finder />
    </>
  );
}

/** The whole interface: the desk's colour, the routes, and the connection to the server. */
export function App() {
  const [desk, setDesk] = useState<Desk>(() =>
    localStorage.getItem('mivvy.desk') === 'dark' ? 'dark' : 'light',
  );
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
