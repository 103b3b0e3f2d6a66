import StackedLineChart from '@mui/icons-material/StackedLineChart';
import Checkbox from '@mui/material/Checkbox';
import IconButton from '@mui/material/IconButton';
import ListItemText from '@mui/material/ListItemText';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Tooltip from '@mui/material/Tooltip';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useLanes } from './state';

/** Which measures are drawn over the count. */
export function LanesMenu({ lanes }: { lanes: Schemas['Lane'][] }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const { shown, toggle } = useLanes();
  return (
    <>
      <Tooltip title="Lanes over the count">
        <IconButton
          size="small"
          aria-label="Lanes over the count"
          aria-haspopup="menu"
          aria-expanded={at !== null}
          onClick={(e) => setAt(e.currentTarget)}
        >
          <StackedLineChart />
        </IconButton>
      </Tooltip>
      <Menu anchorEl={at} open={at !== null} onClose={() => setAt(null)}>
        {lanes.map((l) => (
          <MenuItem
            key={l.id}
            role="menuitemcheckbox"
            aria-checked={shown.includes(l.id)}
            onClick={() => toggle(l.id)}
            dense
          >
            <Checkbox
              edge="start"
              size="small"
              checked={shown.includes(l.id)}
              tabIndex={-1}
              slotProps={{ input: { 'aria-hidden': true } }}
            />
            <ListItemText primary={l.name} secondary={l.empty ?? l.note} />
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
