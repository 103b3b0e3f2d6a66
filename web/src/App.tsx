import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { useSession } from './api/hooks';
import { BenchPage } from './bench/BenchPage';
import { ChartsPage } from './charts/ChartsPage';
import { PeoplePage } from './people/PeoplePage';
import { PersonPage } from './people/PersonPage';
import { ProgressPage } from './progress/ProgressPage';
import { Shell } from './shell/Shell';
import { SignIn } from './shell/SignIn';
import { Empty, Loaded } from './shell/State';
import { TakesPage } from './takes/TakesPage';
import { TodayPage } from './today/TodayPage';

const router = createBrowserRouter([
  {
    path: '/',
    element: <Shell />,
    children: [
      { index: true, element: <Navigate to="/today" replace /> },
      { path: 'today', element: <TodayPage /> },
      { path: 'people', element: <PeoplePage /> },
      { path: 'people/:id', element: <PersonPage /> },
      { path: 'takes', element: <TakesPage /> },
      { path: 'takes/:id', element: <BenchPage /> },
      { path: 'progress', element: <ProgressPage /> },
      { path: 'progress/:id', element: <ProgressPage /> },
      { path: 'charts', element: <ChartsPage /> },
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
