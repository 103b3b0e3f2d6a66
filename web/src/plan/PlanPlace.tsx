import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import { Link, Outlet, useLocation } from 'react-router';
import { Place } from '../shell/Shell';

const tabs = [
  { to: '/plan', name: 'Calendar' },
  { to: '/plan/lessons', name: 'Lessons' },
  { to: '/plan/practice', name: 'Practice' },
];

/** When to look again, what happens in a lesson, what is practised between. */
export function PlanPlace() {
  const { pathname } = useLocation();
  const here = tabs.findLast((t) => pathname === t.to || pathname.startsWith(`${t.to}/`));
  return (
    <Place
      title="Plan"
      note={
        <Tabs
          value={here?.to ?? '/plan'}
          aria-label="Plan"
          sx={{ '@media print': { display: 'none' } }}
        >
          {tabs.map((t) => (
            <Tab key={t.to} value={t.to} label={t.name} component={Link} to={t.to} />
          ))}
        </Tabs>
      }
    >
      <Outlet />
    </Place>
  );
}
