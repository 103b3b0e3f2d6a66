import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import CircularProgress from '@mui/material/CircularProgress';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

interface Query<T> {
  data: T | undefined;
  error: Error | null;
  refetch: () => unknown;
}

/** What a query shows: waiting, refused with a way to try again, or its data. */
export function Loaded<T>({ of, children }: { of: Query<T>; children: (data: T) => ReactNode }) {
  if (of.data !== undefined) return <>{children(of.data)}</>;
  if (of.error) {
    return (
      <Alert
        severity="error"
        sx={{ m: 2 }}
        action={
          <Button color="inherit" onClick={() => of.refetch()}>
            Try again
          </Button>
        }
      >
        {of.error.message}
      </Alert>
    );
  }
  return (
    <Box sx={{ p: 4, textAlign: 'center' }}>
      <CircularProgress size={28} aria-label="Loading" />
    </Box>
  );
}

/** An empty place that says what comes next. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box sx={{ p: 3, textAlign: 'center', color: 'text.secondary' }}>
      <Typography variant="h2" component="p" gutterBottom sx={{ color: 'text.primary' }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A refused change, in words. */
export function Failure({ error }: { error: Error | null }) {
  return error ? (
    <Alert severity="error" sx={{ my: 1 }}>
      {error.message}
    </Alert>
  ) : null;
}
