import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import Chip from '@mui/material/Chip';
import List from '@mui/material/List';
import ListItemButton from '@mui/material/ListItemButton';
import ListItemText from '@mui/material/ListItemText';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { plural } from '../words';

/** The figures to choose from: what fits next stands first. */
export function Palette({
  cards,
  next,
  dances,
  onAdd,
}: {
  cards: Schemas['ChartCard'][];
  /** Ids that can follow as they are; none known while nothing is there. */
  next: string[];
  /** Dances already in the routine. */
  dances: string[];
  onAdd: (chart: string) => void;
}) {
  const [text, setText] = useState('');
  const [dance, setDance] = useState<string>();
  const all = [...new Set(cards.map((c) => c.dance))].sort();
  const within = dance ?? (dances.length === 1 ? dances[0] : '') ?? '';
  const found = cards
    .filter(
      (c) =>
        c.sound &&
        (!within || c.dance === within) &&
        `${c.name} ${c.dance} ${c.about}`.toLowerCase().includes(text.toLowerCase()),
    )
    .sort((a, b) => Number(next.includes(b.id)) - Number(next.includes(a.id)));
  return (
    <Card component="section" aria-label="Figures to choose from" sx={{ p: 1 }}>
      <Box sx={{ display: 'grid', gap: 1 }}>
        <TextField
          type="search"
          label="Find a figure"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <TextField
          select
          label="Of the dance"
          value={within}
          onChange={(e) => setDance(e.target.value)}
        >
          <MenuItem value="">any</MenuItem>
          {all.map((d) => (
            <MenuItem key={d} value={d}>
              {d}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <List
        component="div"
        dense
        tabIndex={0}
        aria-label="Figures"
        role="group"
        sx={{ overflow: 'auto', maxHeight: 'max(260px, calc(100vh - 420px))' }}
      >
        {found.map((c) => (
          <ListItemButton
            key={c.id}
            data-figure={c.id}
            onClick={() => onAdd(c.id)}
            title={c.about}
            sx={{ px: 1, py: 0.25, borderRadius: 1 }}
          >
            <ListItemText
              primary={c.name}
              secondary={`${within ? '' : `${c.dance}, `}${plural(c.facts?.beats ?? 0, 'beat')}, ${c.facts?.effort ?? ''}`}
            />
            {next.includes(c.id) && <Chip size="small" label="fits next" sx={{ height: 20 }} />}
          </ListItemButton>
        ))}
      </List>
    </Card>
  );
}
