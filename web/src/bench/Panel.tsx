import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** A card of the evidence column. */
export function Panel({
  title,
  note,
  children,
}: {
  title: string;
  note?: ReactNode;
  children: ReactNode;
}) {
  return (
    <Card component="section" aria-label={title} sx={{ px: 1.5, py: 1, flex: 'none' }}>
      <Box
        sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'baseline', mb: 0.5 }}
      >
        <Typography variant="h3" component="h2">
          {title}
        </Typography>
        <Typography variant="caption" color="text.secondary">
          {note}
        </Typography>
      </Box>
      {children}
    </Card>
  );
}
