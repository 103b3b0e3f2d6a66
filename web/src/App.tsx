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
import { CalendarPage } from './plan/CalendarPage';
import { LessonPage } from './plan/LessonPage';
import { LessonsPage } from './plan/LessonsPage';
import { PlanPlace } from './plan/PlanPlace';
import { PracticePage } from './plan/PracticePage';
import { ProgressPage } from './progress/ProgressPage';
import { ThenAndNow } from './progress/ThenAndNow';
import { RoutineDesk } from './routines/RoutineDesk';
import { RoutineSheet } from './routines/RoutineSheet';
import { RoutinesPage } from './routines/RoutinesPage';
import { BlindPage } from './settings/BlindPage';
import { SettingsPage } from './settings/SettingsPage';
import { SheetPage } from './sheet/SheetPage';
import { StudentPage } from './sheet/StudentPage';
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
      { path: 'progress/:id/then-and-now', element: <ThenAndNow /> },
      {
        path: 'plan',
        element: <PlanPlace />,
        children: [
          { index: true, element: <CalendarPage /> },
          { path: 'lessons', element: <LessonsPage /> },
          { path: 'lessons/:id', element: <LessonPage /> },
          { path: 'practice', element: <PracticePage /> },
          { path: 'practice/:id', element: <PracticePage /> },
        ],
      },
      { path: 'people/:id/sheet', element: <SheetPage /> },
      { path: 'settings', element: <SettingsPage /> },
      { path: 'settings/repeat/:id', element: <BlindPage /> },
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

/** What a private address opens: a student signs in nowhere. */
const shared = /^\/s\/([\w-]+)\/?$/.exec(window.location.pathname)?.[1];

export function App() {
  return shared ? <StudentPage token={shared} /> : <Coached />;
}

function Coached() {
  const session = useSession();
  return (
    <Loaded of={session}>
      {(s) => (s.name ? <RouterProvider router={router} /> : <SignIn demo={s.demo} />)}
    </Loaded>
  );
}
