import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { useSession } from './api/hooks';
import { BenchPage } from './bench/BenchPage';
import { ChartPage } from './charts/ChartPage';
import { ChartsPage } from './charts/ChartsPage';
import { PeoplePage } from './people/PeoplePage';
import { PersonPage } from './people/PersonPage';
import { AgreementPage } from './faults/AgreementPage';
import { FaultsPage } from './faults/FaultsPage';
import { LogPage } from './faults/LogPage';
import { ProgressPage } from './progress/ProgressPage';
import { RoutineDesk } from './routines/RoutineDesk';
import { RoutineSheet } from './routines/RoutineSheet';
import { RoutinesPage } from './routines/RoutinesPage';
import { Shell } from './shell/Shell';
import { SignIn } from './shell/SignIn';
import { Empty, Loaded } from './shell/State';
import { StudioPage } from './takes/StudioPage';
import { TakesPage } from './takes/TakesPage';
import { TodayPage } from './today/TodayPage';

// The text editor is the largest part of the page and needed by few.
const editor = () => import('./charts/ChartEditor');

const router = createBrowserRouter([
  {
    path: '/',
    element: <Shell />,
    children: [
      { index: true, element: <Navigate to="/today" replace /> },
      { path: 'today', element: <TodayPage /> },
      { path: 'people', element: <PeoplePage /> },
      { path: 'people/:id', element: <PersonPage /> },
      { path: 'takes/studio', element: <StudioPage /> },
      { path: 'takes', element: <TakesPage /> },
      { path: 'takes/:id', element: <BenchPage /> },
      { path: 'progress', element: <ProgressPage /> },
      { path: 'progress/:id', element: <ProgressPage /> },
      { path: 'faults', element: <FaultsPage /> },
      { path: 'faults/log', element: <LogPage /> },
      { path: 'faults/agreement', element: <AgreementPage /> },
      { path: 'charts', element: <ChartsPage /> },
      { path: 'charts/new', lazy: { Component: async () => (await editor()).NewChart } },
      { path: 'charts/figure/:id', element: <ChartPage /> },
      {
        path: 'charts/figure/:id/edit',
        lazy: { Component: async () => (await editor()).EditChart },
      },
      { path: 'charts/routines', element: <RoutinesPage /> },
      { path: 'charts/routines/:id', element: <RoutineDesk /> },
      { path: 'charts/routines/:id/sheet', element: <RoutineSheet /> },
      { path: '*', element: <Empty title="There is no such page." /> },
    ],
  },
]);

export function App() {
  const session = useSession();
  return (
    <Loaded of={session}>
      {(s) => (s.name ? <RouterProvider router={router} /> : <SignIn demo={s.demo} />)}
    </Loaded>
  );
}
