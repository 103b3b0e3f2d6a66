import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import type { ReactNode } from 'react';
import { Link, useLocation } from 'react-router';
import { Place } from '../shell/Shell';

/** The charts' place: figures on one side, routines on the other. */
export function ChartsPlace({ action, children }: { action?: ReactNode; children: ReactNode }) {
  const routines = useLocation().pathname.startsWith('/charts/routines');
  return (
    <Place
      title="Charts"
      note={
        <Tabs value={routines ? 'routines' : 'figures'} aria-label="Charts" component="nav">
          <Tab label="Figures" value="figures" component={Link} to="/charts" />
          <Tab label="Routines" value="routines" component={Link} to="/charts/routines" />
        </Tabs>
      }
      action={action}
    >
      {children}
    </Place>
  );
}
