import CheckBox from '@mui/icons-material/CheckBox';
import CheckBoxOutlineBlank from '@mui/icons-material/CheckBoxOutlineBlank';
import StackedLineChart from '@mui/icons-material/StackedLineChart';
import IconButton from '@mui/material/IconButton';
import ListItemIcon from '@mui/material/ListItemIcon';
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
      <Menu anchorEl={at} open={at !== null} onClose={() => setAt(null)} disablePortal>
        {lanes.map((l) => (
          <MenuItem
            key={l.id}
            role="menuitemcheckbox"
            aria-checked={shown.includes(l.id)}
            onClick={() => toggle(l.id)}
            dense
          >
            <ListItemIcon>
              {shown.includes(l.id) ? (
                <CheckBox color="primary" />
              ) : (
                <CheckBoxOutlineBlank color="action" />
              )}
            </ListItemIcon>
            <ListItemText primary={l.name} secondary={l.empty ?? l.note} />
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
