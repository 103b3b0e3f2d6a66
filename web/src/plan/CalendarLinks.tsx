import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import Typography from '@mui/material/Typography';
import { Links } from '../sheet/Links';

/** The calendar for other programs: as a file, or to be subscribed to. */
export function CalendarLinks() {
  return (
    <Card
      component="section"
      aria-label="In your own calendar"
      sx={{ p: 1.5, '@media print': { display: 'none' } }}
    >
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          In your own calendar
        </Typography>
        <Button component="a" href="/api/calendar/file" download>
          Save as a file
        </Button>
      </Box>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1 }}>
        Bringing the file in again updates what is there. An address to subscribe to keeps itself up
        to date; whoever has it can read the dates and names.
      </Typography>
      <Links kind="calendar" days={366} make="Make an address to subscribe to" />
    </Card>
  );
}
