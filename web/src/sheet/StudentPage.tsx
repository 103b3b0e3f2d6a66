import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useSharedReport, useSharedSheet } from '../api/plan';
import { Failure, Loaded } from '../shell/State';
import { SheetView } from './SheetView';

/** What a student sees at their private address, without signing in. */
export function StudentPage({ token }: { token: string }) {
  const sheet = useSharedSheet(token);
  const report = useSharedReport(token);
  return (
    <Box
      component="main"
      sx={{
        maxWidth: 860,
        mx: 'auto',
        px: 2,
        pb: 4,
        height: '100vh',
        overflow: 'auto',
        '@media print': { height: 'auto' },
      }}
      tabIndex={0}
    >
      <Loaded of={sheet}>
        {(s) => (
          <>
            <SheetView
              sheet={s}
              pictures={(id) => `/api/shared/sheet/${token}/things/${id}`}
              onReport={(id, how) => report.mutate({ id, how })}
            />
            <Failure error={report.error} />
            <Button
              sx={{ mt: 2, '@media print': { display: 'none' } }}
              onClick={() => window.print()}
            >
              Print, or save as PDF
            </Button>
          </>
        )}
      </Loaded>
    </Box>
  );
}
