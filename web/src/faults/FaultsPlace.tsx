import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import type { ReactNode } from 'react';
import { Link, useLocation } from 'react-router';
import { Place } from '../shell/Shell';

const tabs = [
  { to: '/faults', label: 'Catalogue' },
  { to: '/faults/log', label: 'Log' },
  { to: '/faults/agreement', label: 'Agreement' },
];

/** The faults' place: what is judged, what was corrected, and how often the coach agrees. */
export function FaultsPlace({ action, children }: { action?: ReactNode; children: ReactNode }) {
  const { pathname } = useLocation();
  return (
    <Place
      wide
      title="Faults"
      note={
        <Tabs value={pathname} aria-label="Faults" component="nav">
          {tabs.map((t) => (
            <Tab key={t.to} label={t.label} value={t.to} component={Link} to={t.to} />
          ))}
        </Tabs>
      }
      action={action}
    >
      {children}
    </Place>
  );
}
