import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** Terms with what they mean, in two columns. */
export function Terms({ terms, first }: { terms: [string, ReactNode][]; first: string }) {
  return (
    <Box
      component="dl"
      sx={{
        m: 0,
        display: 'grid',
        gridTemplateColumns: `${first} 1fr`,
        columnGap: 2,
        rowGap: 0.5,
      }}
    >
      {terms.map(([term, what]) => (
        <Box key={term} sx={{ display: 'contents' }}>
          <Typography component="dt" variant="body2" sx={{ fontWeight: 700 }}>
            {term}
          </Typography>
          <Typography component="dd" variant="body2" sx={{ m: 0 }}>
            {what}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
