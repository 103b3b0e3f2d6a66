import Button from '@mui/material/Button';
import { Link, useParams } from 'react-router';
import { useSheet } from '../api/plan';
import { Place } from '../shell/Shell';
import { Loaded } from '../shell/State';
import { SheetView } from './SheetView';

/** A student's sheet as the coach prints it. */
export function SheetPage() {
  const { id = '' } = useParams();
  const sheet = useSheet(id);
  return (
    <Place
      title="Sheet"
      note={<Link to={`/plan/practice/${id}`}>Practice</Link>}
      action={
        <Button
          variant="contained"
          sx={{ '@media print': { display: 'none' } }}
          onClick={() => window.print()}
        >
          Print, or save as PDF
        </Button>
      }
    >
      <Loaded of={sheet}>
        {(s) => <SheetView sheet={s} pictures={(c) => `/api/corrections/${c}`} onReport={null} />}
      </Loaded>
    </Place>
  );
}
