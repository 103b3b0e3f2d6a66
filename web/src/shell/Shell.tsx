import DarkModeOutlined from '@mui/icons-material/DarkModeOutlined';
import EventNote from '@mui/icons-material/EventNoteOutlined';
import GroupsOutlined from '@mui/icons-material/GroupsOutlined';
import HelpOutline from '@mui/icons-material/HelpOutlineOutlined';
import LightModeOutlined from '@mui/icons-material/LightModeOutlined';
import Logout from '@mui/icons-material/LogoutOutlined';
import MovieOutlined from '@mui/icons-material/MovieOutlined';
import RuleOutlined from '@mui/icons-material/RuleOutlined';
import SettingsOutlined from '@mui/icons-material/SettingsOutlined';
import ShowChart from '@mui/icons-material/ShowChartOutlined';
import StyleOutlined from '@mui/icons-material/RouteOutlined';
import TodayOutlined from '@mui/icons-material/TodayOutlined';
import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import IconButton from '@mui/material/IconButton';
import { useColorScheme } from '@mui/material/styles';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useState, type ReactNode } from 'react';
import { NavLink, Outlet } from 'react-router';
import { useSignOut } from '../api/hooks';
import { KeySheet } from './KeySheet';
import { useKeys } from './keys';

const places = [
  { to: '/today', name: 'Today', icon: <TodayOutlined /> },
  { to: '/people', name: 'People', icon: <GroupsOutlined /> },
  { to: '/takes', name: 'Bench', icon: <MovieOutlined /> },
  { to: '/progress', name: 'Progress', icon: <ShowChart /> },
  { to: '/charts', name: 'Charts', icon: <StyleOutlined /> },
  { to: '/plan', name: 'Plan', icon: <EventNote /> },
  { to: '/faults', name: 'Faults', icon: <RuleOutlined /> },
];

/** Navigation and the place beside it. */
export function Shell() {
  const [keys, setKeys] = useState(false);
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
  const signOut = useSignOut();
  useKeys({ '?': () => setKeys(true) });
  return (
    <Box
      sx={{
        display: 'flex',
        height: '100vh',
        '@media print': { display: 'block', height: 'auto' },
      }}
    >
      <Box
        component="nav"
        aria-label="Places"
        sx={{
          width: 72,
          flex: 'none',
          display: 'flex',
          '@media print': { display: 'none' },
          flexDirection: 'column',
          alignItems: 'center',
          gap: 0.75,
          py: 1,
          borderRight: 1,
          borderColor: 'divider',
        }}
      >
        {places.map((p) => (
          <ButtonBase
            key={p.to}
            component={NavLink}
            to={p.to}
            sx={{
              width: 60,
              py: 0.9,
              borderRadius: 1.2,
              flexDirection: 'column',
              color: 'text.secondary',
              '&.active': { bgcolor: 'primary.main', color: 'primary.contrastText' },
              '&:focus-visible': { outline: '2px solid', outlineColor: 'text.primary' },
            }}
          >
            {p.icon}
            <Typography variant="caption">{p.name}</Typography>
          </ButtonBase>
        ))}
        <Box sx={{ flex: 1 }} />
        <Tooltip title="Keys (?)" placement="right">
          <IconButton aria-label="Keys" onClick={() => setKeys(true)}>
            <HelpOutline />
          </IconButton>
        </Tooltip>
        <Tooltip title="Settings" placement="right">
          <IconButton aria-label="Settings" component={NavLink} to="/settings">
            <SettingsOutlined />
          </IconButton>
        </Tooltip>
        <Tooltip title={dark ? 'Light' : 'Dark'} placement="right">
          <IconButton
            aria-label={dark ? 'Light colours' : 'Dark colours'}
            onClick={() => setMode(dark ? 'light' : 'dark')}
          >
            {dark ? <LightModeOutlined /> : <DarkModeOutlined />}
          </IconButton>
        </Tooltip>
        <Tooltip title="Sign out" placement="right">
          <IconButton aria-label="Sign out" onClick={() => signOut.mutate()}>
            <Logout />
          </IconButton>
        </Tooltip>
      </Box>
      <Box
        component="main"
        tabIndex={0}
        sx={{ flex: 1, minWidth: 0, overflow: 'auto', outline: 'none' }}
      >
        <Outlet />
      </Box>
      <KeySheet open={keys} onClose={() => setKeys(false)} />
    </Box>
  );
}

/** A place's heading line and content. */
export function Place({
  title,
  note,
  action,
  wide = false,
  children,
}: {
  title: ReactNode;
  note?: ReactNode;
  action?: ReactNode;
  /** A workplace that takes all the width there is. */
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Box sx={{ maxWidth: wide ? 1800 : 1240, mx: 'auto', px: 2, pb: 3 }}>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5, minHeight: 52 }}>
        <Typography variant="h1">{title}</Typography>
        <Typography component="div" sx={{ color: 'text.secondary', flex: 1 }}>
          {note}
        </Typography>
        {action}
      </Box>
      {children}
    </Box>
  );
}
